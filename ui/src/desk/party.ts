// The party: who shares positions with whom, as the stream tells it (see live.ts) while somebody looks.

import { computed, ref, shallowReactive } from 'vue'
import { api, unwrap, type Member, type Party } from '../api/client'
import type { LatLng } from '../chart/camera'
import { distanceM, roughBearing } from '../chart/geodesic'
import { chart, lookAt } from './acts'
import { desk, type Named } from './desk'
import { parties } from './kept'
import { say } from './notice'
import { places } from './places'
import { keepPicture, makeSmall } from './smallpicture'

/** Somebody in a party, as the page knows him. */
export interface Person {
  id: string
  party: string
  name: string
  picture: string
  sharing: boolean
  at: LatLng | null
  accuracyM: number | null
  headingDeg: number | null
  speedMps: number | null
  /** When he was there, by the server's clock, in milliseconds; 0 without a position. */
  timeMs: number
}

/** Everybody of all parties, by id. */
export const people = shallowReactive(new Map<string, Person>())
/** Who this page belongs to, where somebody was invited to a party and sees nothing else. */
export const guest = ref<{ party: string; member: string; name: string } | null>(null)

/** The party that is shown. */
export const party = computed<Party | null>(
  () => parties.value.find((p) => p.id === desk.party) ?? parties.value[0] ?? null,
)

/** The time now by the server's clock, told twice a second. */
export const now = ref(Date.now())
export type Freshness = 'live' | 'stale' | 'gone' | 'none' | 'silent'

/** How well it is known where somebody is. */
export function freshness(p: Person): Freshness {
  if (!p.sharing) return 'silent'
  if (!p.at) return 'none'
  const rule = parties.value.find((q) => q.id === p.party)
  const age = (now.value - p.timeMs) / 1000
  if (age >= (rule?.gone_after_s ?? 900)) return 'gone'
  return age >= (rule?.stale_after_s ?? 60) ? 'stale' : 'live'
}

/** From where distances are taken: what is selected, or where one stands. */
export const measuredFrom = computed<Named | null>(() => {
  const p = desk.place ? places.get(desk.place) : undefined
  if (p?.at) return { ...p.at, name: p.name }
  return desk.spot ?? desk.standpoint
})

export interface Placed {
  person: Person
  fresh: Freshness
  /** How far and which way from there; NaN without a position or without a there. */
  distanceM: number
  bearingDeg: number | null
}

/** Who is in the party that is shown: the nearest first, then by name; those whose position is not known last. */
export const inParty = computed<Placed[]>(() => {
  const from = measuredFrom.value
  const list = [...people.values()]
    .filter((p) => p.party === party.value?.id)
    .map((person) => ({
      person,
      fresh: freshness(person),
      distanceM: from && person.at ? distanceM(from, person.at) : NaN,
      bearingDeg: from && person.at ? roughBearing(from, person.at) : null,
    }))
  const rank = { live: 0, stale: 0, gone: 1, none: 2, silent: 3 }
  return list.sort(
    (a, b) => rank[a.fresh] - rank[b.fresh] || a.distanceM - b.distanceM || a.person.name.localeCompare(b.person.name),
  )
})

export const selectedPerson = computed(() => (desk.who ? (people.get(desk.who) ?? null) : null))

/** One or two letters that stand for a name. */
export function initials(name: string): string {
  const words = name.trim().split(/\s+/)
  const first = [...(words[0] ?? '')][0] ?? '?'
  const last = words.length > 1 ? ([...words.at(-1)!][0] ?? '') : ([...words[0]!][1] ?? '')
  return (first + last).toUpperCase()
}

/** Brings all of a party into view whose position is known. */
export function showEverybody(): void {
  const points = inParty.value.flatMap((p) => (p.person.at && p.fresh !== 'gone' ? [p.person.at] : []))
  if (!points.length) return say('Nobody has a position yet.')
  if (points.length === 1) lookAt(points[0]!, 15)
  else chart.value?.fit(points)
}

/** Parties that were brought into view. */
const fitted = new Set<string>()

/** Brings a party into view when it is opened and nobody of it is to be seen. */
export function showOnOpening(): void {
  const c = chart.value
  const p = party.value
  const known = inParty.value.filter((q) => q.person.at && q.fresh !== 'gone')
  if (!c || !p || fitted.has(p.id) || !known.length) return
  fitted.add(p.id)
  const seen = known.some(({ person }) => {
    const s = c.camera.toScreen(person.at!)
    return s.x >= 0 && s.y >= 0 && s.x <= c.camera.width && s.y <= c.camera.height
  })
  if (!seen) showEverybody()
}

/** Selects the next of the party, for whoever goes through it by keys. */
export function stepPerson(by: 1 | -1): void {
  const all = inParty.value.filter((p) => p.person.at)
  const i = all.findIndex((p) => p.person.id === desk.who)
  const to = all[(i + by + all.length) % all.length] ?? all[0]
  if (!to) return
  desk.who = to.person.id
  lookAt(to.person.at!)
}

// What the stream tells.

export interface ToldMembers {
  party: string
  whole: boolean
  members: Member[]
  left: string[]
}
type Move = Pick<Member, 'id' | 'position' | 'accuracy_m' | 'heading_deg' | 'speed_mps' | 'time'>

const placed = (m: Move) => ({
  at: m.position ? { lat: m.position[1] as number, lng: m.position[0] as number } : null,
  accuracyM: m.accuracy_m ?? null,
  headingDeg: m.heading_deg ?? null,
  speedMps: m.speed_mps ?? null,
  timeMs: m.time ? Date.parse(m.time) : 0,
})

export function toldMembers(t: ToldMembers): void {
  const there = new Set(t.members.map((m) => m.id))
  if (t.whole) for (const p of people.values()) if (p.party === t.party && !there.has(p.id)) people.delete(p.id)
  for (const m of t.members)
    people.set(m.id, { id: m.id, party: t.party, name: m.name, picture: m.picture, sharing: m.sharing, ...placed(m) })
  for (const id of t.left) people.delete(id)
  if (desk.who && t.left.includes(desk.who)) desk.who = null
}

export function toldMoves(t: { party: string; moves: Move[] }): void {
  for (const m of t.moves) {
    const p = people.get(m.id)
    if (p) people.set(m.id, { ...p, ...placed(m) })
  }
}

/** Gives somebody a picture in place of initials. */
export async function givePicture(p: Person, file: File): Promise<void> {
  const picture = await keepPicture(await makeSmall(file))
  await unwrap(
    api.PUT('/v1/parties/{id}/members/{member}', {
      params: { path: { id: p.party, member: p.id } },
      body: { name: p.name, picture, sharing: p.sharing },
    }),
  )
}

export async function dropPerson(p: Person): Promise<void> {
  await unwrap(api.DELETE('/v1/parties/{id}/members/{member}', { params: { path: { id: p.party, member: p.id } } }))
  if (desk.who === p.id) desk.who = null
  say(`${p.name} is in the party no longer.`)
}
