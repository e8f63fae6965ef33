// What is on the desk: where one stands, what is selected, where one goes. All of it is in the URL, so that any view
// can be linked to and reloaded.

import style from '@style/ground.json'
import { reactive, watch } from 'vue'
import type { RouteLocationNormalized, Router } from 'vue-router'
import { MAX_ZOOM, MIN_ZOOM, type LatLng, type View } from '../chart/camera'
import { position, readPosition, round7 } from './format'

export const BENCHES = ['places', 'around', 'journey', 'proof', 'party', 'publish'] as const
export type Bench = (typeof BENCHES)[number]
/** What the bench Places has open. */
export const PARTS = ['list', 'kinds', 'files', 'addresses', 'bin'] as const
export type Part = (typeof PARTS)[number]
/** What the bench Journey has open. */
export type JourneyPart = 'way' | 'rehearsals'
/** What the bench Around has open. */
export const AROUND_PARTS = ['list', 'round', 'served', 'finder'] as const
export type AroundPart = (typeof AROUND_PARTS)[number]
/** What the bench Proof has open. */
export const PROOF_PARTS = ['points', 'numbers', 'formulas'] as const
export type ProofPart = (typeof PROOF_PARTS)[number]
/** What the bench Party has open. */
export type PartyPart = 'people' | 'watches'
/** What the bench Publish has open. */
export const PUBLISH_PARTS = ['tokens', 'embed', 'picture'] as const
export type PublishPart = (typeof PUBLISH_PARTS)[number]
export type Mode = 'foot' | 'bicycle' | 'car'
export const MODES: Mode[] = ['foot', 'bicycle', 'car']

/** A position with what it is called, where that is known. */
export interface Named extends LatLng {
  name?: string
  accuracyM?: number
  /** When a device was there, by the clock of its source, in milliseconds. */
  timeMs?: number
}

export interface Desk {
  bench: Bench
  view: View | null
  /** The ground's style and the size of its lettering, by their names in the style file. */
  ground: string
  lettering: string
  standpoint: Named | null
  /** The standpoint follows the device. */
  here: boolean
  beyondM: number
  withinM: number
  spot: Named | null
  /** The id of the selected place. */
  place: string | null
  destination: Named | null
  by: Mode
  /** Categories that are switched off; '' stands for places without one. */
  hidden: string[]
  /** When places' names are shown. */
  names: Names
  /** Ids of the pictures and of the imagery laid over the ground. */
  overlays: string[]
  imagery: string[]
  /** Ids of the only places, paths and areas that are shown; all of them when empty. */
  only: string[]
  part: Part
  journeyPart: JourneyPart
  around: Around
  proofPart: ProofPart
  partyPart: PartyPart
  publishPart: PublishPart
  /** The id of the party that is shown, null for the first. */
  party: string | null
  /** The id of the member that is selected, and that of the watch. */
  who: string | null
  watch: string | null
  /** The id of the rehearsal that plays, and the second at which the link has it. */
  rehearsal: string | null
  rehearsalAt: number
  /** The journey has begun. */
  underWay: boolean
  /** Views and layers are open over the bench. */
  layers: boolean
  /** The slip of what is selected takes the whole page. */
  unfolded: boolean
  list: List
}

/** How the places round the standpoint are shown. */
export interface Around {
  part: AroundPart
  sort: 'distance' | 'bearing' | 'name'
  /** The only category, '' for all. */
  kind: string
  /** An attribute and the value that it has to have, name:value. */
  where: string
  /** Distance and time by road stand beside the straight line. */
  road: boolean
  /** What is up in the round view: north, or where the device heads. */
  up: 'north' | 'heading'
  /** The rings of the round view, in metres; round ones where there are none. */
  rings: number[]
}

/** What the list of everything shows. */
export interface List {
  text: string
  /** An attribute, with - in front the other way round. */
  sort: string
  collection: string
  /** An attribute and the value that it has to have, name:value. */
  where: string
  /** Only what is in view; the list follows the map. */
  follow: boolean
  /** Only what has no position yet. */
  unplaced: boolean
}

export type Names = 'always' | 'pointed' | 'never'
export const NAMES: Names[] = ['pointed', 'always', 'never']

export const DEFAULT_WITHIN_M = 1500

export const desk = reactive<Desk>({
  bench: 'around',
  view: null,
  ground: 'plain',
  lettering: 'plain',
  standpoint: null,
  here: false,
  beyondM: 0,
  withinM: DEFAULT_WITHIN_M,
  spot: null,
  place: null,
  destination: null,
  by: 'foot',
  hidden: [],
  names: 'pointed',
  overlays: [],
  imagery: [],
  only: [],
  part: 'list',
  journeyPart: 'way',
  around: { part: 'list', sort: 'distance', kind: '', where: '', road: false, up: 'north', rings: [] },
  proofPart: 'points',
  partyPart: 'people',
  publishPart: 'tokens',
  party: null,
  who: null,
  watch: null,
  rehearsal: null,
  rehearsalAt: 0,
  underWay: false,
  layers: false,
  unfolded: false,
  list: { text: '', sort: 'name', collection: '', where: '', follow: false, unplaced: false },
})

function named(at: unknown, name: unknown): Named | null {
  const p = readPosition(at)
  return p && (typeof name === 'string' && name ? { ...p, name } : p)
}

function read({ name: bench, params, query: q }: RouteLocationNormalized): void {
  desk.bench = BENCHES.find((b) => b === bench) ?? 'around'
  if (bench === 'party') desk.partyPart = params.part === 'watches' ? 'watches' : 'people'
  if (bench === 'proof') desk.proofPart = PROOF_PARTS.find((p) => p === params.part) ?? 'points'
  if (bench === 'publish') desk.publishPart = PUBLISH_PARTS.find((p) => p === params.part) ?? 'tokens'
  if (bench === 'places') desk.part = PARTS.find((p) => p === params.part) ?? 'list'
  const v = typeof q.v === 'string' ? /^([^,]+,[^,]+),(\d+(?:\.\d+)?)(?:,(-?\d+(?:\.\d+)?))?$/.exec(q.v) : null
  const centre = v && readPosition(v[1])
  if (centre)
    desk.view = {
      ...centre,
      zoom: Math.max(MIN_ZOOM, Math.min(MAX_ZOOM, Number(v![2]))),
      rotation: Number(v![3] ?? 0) % 360,
    }
  desk.ground = typeof q.ground === 'string' && q.ground in style.styles ? q.ground : 'plain'
  desk.lettering = typeof q.letters === 'string' && q.letters in style.lettering ? q.letters : 'plain'
  desk.here = q.from === HERE
  if (!desk.here) desk.standpoint = named(q.from, q.fromName)
  if (bench === 'journey') desk.journeyPart = params.part === 'rehearsals' ? 'rehearsals' : 'way'
  const id = (v: unknown) => (typeof v === 'string' ? v : null)
  Object.assign(desk, { party: id(q.party), who: id(q.who), watch: id(q.watch) })
  desk.rehearsal = id(q.rehearsal)
  desk.rehearsalAt = Math.max(0, Number(q.second) || 0)
  desk.underWay = q.under === 'way'
  const ring = typeof q.ring === 'string' ? /^(\d+)-(\d+)$/.exec(q.ring) : null
  if (ring && Number(ring[2]) > Number(ring[1]))
    [desk.beyondM, desk.withinM] = [Number(ring[1]), Math.min(2e7, Number(ring[2]))]
  desk.spot = named(q.spot, q.spotName)
  desk.place = typeof q.place === 'string' ? q.place : null
  desk.destination = named(q.to, q.toName)
  if (MODES.includes(q.by as Mode)) desk.by = q.by as Mode
  desk.hidden = list(q.hide).map((c) => (c === NO_CATEGORY ? '' : c))
  desk.names = NAMES.includes(q.names as Names) ? (q.names as Names) : 'pointed'
  desk.overlays = list(q.over)
  desk.imagery = list(q.imagery)
  desk.only = list(q.only)
  desk.layers = q.layers === '1'
  desk.unfolded = q.open === '1'
  const text = (v: unknown) => (typeof v === 'string' ? v.slice(0, 200) : '')
  desk.around = {
    part: (bench === 'around' && AROUND_PARTS.find((p) => p === params.part)) || 'list',
    sort: q.by_order === 'bearing' || q.by_order === 'name' ? q.by_order : 'distance',
    kind: text(q.kind),
    where: text(q.having),
    road: q.road === '1',
    up: q.up === 'heading' ? 'heading' : 'north',
    rings: list(q.rings)
      .map(Number)
      .filter((m) => m > 0 && m <= 2e7),
  }
  desk.list = {
    text: text(q.find),
    sort: text(q.sort) || 'name',
    collection: text(q.in),
    where: text(q.where),
    follow: q.follow === '1',
    unplaced: q.unplaced === '1',
  }
}

/** How a standpoint that follows the device is written in the link. */
const HERE = 'here'
/** How places without a category are written in the link. */
const NO_CATEGORY = '-'
const list = (v: unknown) => (typeof v === 'string' && v ? v.split(',').slice(0, 200) : [])

function write(): { path: string; query: Record<string, string> } {
  const query: Record<string, string> = {}
  const put = (key: string, value: string | number | null | undefined | false) => {
    if (value) query[key] = String(value)
  }
  if (desk.view) {
    const v = desk.view
    const turn = v.rotation ? [v.rotation.toFixed(0)] : []
    put('v', [v.lat.toFixed(5), round7(v.lng).toFixed(5), Number(v.zoom.toFixed(2)), ...turn].join(','))
  }
  put('ground', desk.ground !== 'plain' && desk.ground)
  put('letters', desk.lettering !== 'plain' && desk.lettering)
  put('from', desk.here ? HERE : desk.standpoint && position(desk.standpoint))
  put('fromName', !desk.here && desk.standpoint?.name)
  put(
    'ring',
    (desk.beyondM > 0 || desk.withinM !== DEFAULT_WITHIN_M) &&
      `${Math.round(desk.beyondM)}-${Math.round(desk.withinM)}`,
  )
  put('spot', desk.spot && position(desk.spot))
  put('spotName', desk.spot?.name)
  put('place', desk.place)
  put('to', desk.destination && position(desk.destination))
  put('toName', desk.destination?.name)
  put('by', desk.destination && desk.by)
  put('hide', desk.hidden.map((c) => c || NO_CATEGORY).join(','))
  put('names', desk.names !== 'pointed' && desk.names)
  put('over', desk.overlays.join(','))
  put('imagery', desk.imagery.join(','))
  put('only', desk.only.join(','))
  put('layers', desk.layers && 1)
  put('rehearsal', desk.rehearsal)
  put('second', desk.rehearsal && Math.round(desk.rehearsalAt))
  put('under', desk.underWay && 'way')
  put('party', desk.party)
  put('who', desk.who)
  put('watch', desk.watch)
  put('open', desk.place && desk.unfolded && 1)
  if (desk.bench === 'places' && desk.part === 'list') {
    const l = desk.list
    put('find', l.text)
    put('sort', l.sort !== 'name' && l.sort)
    put('in', l.collection)
    put('where', l.where)
    put('follow', l.follow && 1)
    put('unplaced', l.unplaced && 1)
  }
  if (desk.bench === 'around') {
    const a = desk.around
    put('by_order', a.sort !== 'distance' && a.sort)
    put('kind', a.kind)
    put('having', a.where)
    put('road', a.road && 1)
    put('up', a.up !== 'north' && a.up)
    put('rings', a.rings.join(','))
  }
  const part = {
    places: desk.part !== 'list' && desk.part,
    journey: desk.journeyPart !== 'way' && desk.journeyPart,
    around: desk.around.part !== 'list' && desk.around.part,
    proof: desk.proofPart !== 'points' && desk.proofPart,
    party: desk.partyPart !== 'people' && desk.partyPart,
    publish: desk.publishPart !== 'tokens' && desk.publishPart,
  }
  const open = part[desk.bench]
  return { path: open ? `/${desk.bench}/${open}` : `/${desk.bench}`, query }
}

/** Ties the desk to the URL; call once, when the router is ready. */
export function followUrl(router: Router): void {
  read(router.currentRoute.value)
  let own = ''
  let timer = 0
  /** What changes while something is dragged goes into the URL a little later, so that a drag is one change. */
  const steady = ({ query }: ReturnType<typeof write>) =>
    JSON.stringify({ ...query, v: '', ring: '', find: '', second: '' })
  watch(
    () => [write(), write().path] as const,
    ([to, bench], [toBefore, benchBefore]) => {
      clearTimeout(timer)
      const go = () => {
        own = router.resolve(to).fullPath
        if (own === router.currentRoute.value.fullPath) return
        // Another bench is a step that Back undoes; everything else replaces the entry.
        void (bench === benchBefore ? router.replace(to) : router.push(to))
      }
      if (bench === benchBefore && steady(to) === steady(toBefore)) timer = window.setTimeout(go, 150)
      else go()
    },
  )
  watch(router.currentRoute, (r) => {
    if (r.fullPath !== own && router.resolve(write()).fullPath !== r.fullPath) read(r)
  })
}
