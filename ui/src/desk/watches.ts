// Watches: standing queries, and what they have told.

import { computed, shallowRef, watch } from 'vue'
import { api, unwrap, type Watch, type WatchEvent, type WatchIn, type Watched } from '../api/client'
import type { LatLng } from '../chart/camera'
import { chart, ringCorners } from './acts'
import { desk, type Named } from './desk'
import { metres } from './format'
import { watches } from './kept'
import { complain } from './notice'
import { verticesOf } from './outline'
import { places, type Place } from './places'
import { people, type Person } from './party'
import { wholePage } from './server'

/** The last events, the newest first. */
export const watchEvents = shallowRef<WatchEvent[]>([])
const MOST_EVENTS = 300
/** The number of the last event that was told, so that what was missed meanwhile is asked for. */
let lastNo = -1

/** Takes in an event of the stream. */
export function sawEvent(e: WatchEvent): void {
  if (e.no <= lastNo) return
  lastNo = e.no
  watchEvents.value = [e, ...watchEvents.value].slice(0, MOST_EVENTS)
  void readInside().catch(complain)
}

interface Told {
  events: WatchEvent[]
  last: number
}

/** Reads what the stream has not told: the last events at first, then those that were missed. */
export async function readEvents(): Promise<void> {
  const query = lastNo < 0 ? { limit: 100 } : { since: String(lastNo), limit: MOST_EVENTS }
  const got = (await unwrap(api.GET('/v1/watches/events', { params: { query } }))) as Told
  const fresh = got.events.filter((e) => e.no > lastNo)
  lastNo = Math.max(lastNo, got.last)
  watchEvents.value = [...fresh.reverse(), ...watchEvents.value].slice(0, MOST_EVENTS)
}

export const selectedWatch = computed(() => watches.value.find((w) => w.id === desk.watch) ?? null)

/** What is in the selected watch now. */
export const inside = shallowRef<Watched[]>([])

export async function readInside(): Promise<void> {
  const id = desk.watch
  if (!id) {
    inside.value = []
    return
  }
  const got = await unwrap(api.GET('/v1/watches/{id}/inside', { params: { path: { id } } }))
  if (desk.watch === id) inside.value = got.inside
}

/** Where a watch is: its centre now; null for an area, and where whom it follows has no position. */
export function centreOf(w: Watch): LatLng | null {
  if (w.follows) return people.get(w.follows)?.at ?? null
  return w.center ? { lat: w.center[1] as number, lng: w.center[0] as number } : null
}

export const ringsOf = (w: Watch): LatLng[][] =>
  (w.area ?? []).map((ring) => ring.map(([lng, lat]) => ({ lat: lat as number, lng: lng as number })))

/** What a watch looks at and where, in words. */
export function watchWords(w: Watch): string {
  const what = [w.people && 'people', w.places && 'places'].filter(Boolean).join(' and ')
  if (w.area) return `${what} in an area`
  const where = w.follows ? `of ${people.get(w.follows)?.name ?? 'somebody'}` : 'of its centre'
  const ring = w.beyond_m ? `${metres(w.beyond_m)} to ${metres(w.within_m ?? 0)}` : `within ${metres(w.within_m ?? 0)}`
  return `${what} ${ring} ${where}`
}

export function showWatch(w: Watch): void {
  const centre = centreOf(w)
  const points = w.area ? ringsOf(w).flat() : centre ? ringCorners(centre, w.within_m ?? 100) : []
  if (points.length) chart.value?.fit(points)
}

/** What a new watch can be of, of what is at hand. */
export interface Site {
  id: string
  title: string
  draft: Pick<WatchIn, 'center' | 'follows' | 'area' | 'within_m' | 'beyond_m'>
  name: string
}
const NEAR_M = 500
const lngLat = (p: LatLng): [number, number] => [p.lng, p.lat]

function siteOfPlace(p: Place): Site | null {
  const o = p.outline
  if (o?.kind === 'circle')
    return {
      id: 'area',
      title: `“${p.name}”`,
      name: p.name,
      draft: { center: lngLat(o.at), within_m: o.radiusM },
    }
  if (o?.kind === 'area' && verticesOf(o).length)
    return {
      id: 'area',
      title: `“${p.name}”`,
      name: p.name,
      draft: { area: o.rings.map((r) => closed(r.map(lngLat))) },
    }
  return p.at
    ? { id: 'place', title: `Round “${p.name}”`, name: p.name, draft: { center: lngLat(p.at), within_m: NEAR_M } }
    : null
}

const closed = (ring: [number, number][]): [number, number][] => {
  const [a, z] = [ring[0], ring.at(-1)]
  return a && z && (a[0] !== z[0] || a[1] !== z[1]) ? [...ring, a] : ring
}

export function sitesAtHand(standpoint: Named | null, spot: Named | null, person: Person | null): Site[] {
  const out: Site[] = []
  const place = desk.place ? places.get(desk.place) : undefined
  const ofPlace = place && siteOfPlace(place)
  if (person)
    out.push({
      id: 'person',
      title: `Round ${person.name}, wherever that is`,
      name: `Near ${person.name}`,
      draft: { follows: person.id, within_m: NEAR_M },
    })
  if (ofPlace) out.push(ofPlace)
  if (spot)
    out.push({
      id: 'spot',
      title: 'Round the selected spot',
      name: spot.name ?? 'Spot',
      draft: { center: lngLat(spot), within_m: NEAR_M },
    })
  if (standpoint)
    out.push({
      id: 'ring',
      title: `The ring round ${standpoint.name ?? 'the standpoint'}`,
      name: `Around ${standpoint.name ?? 'the standpoint'}`,
      draft: { center: lngLat(standpoint), within_m: desk.withinM, beyond_m: desk.beyondM || undefined },
    })
  if (desk.view)
    out.push({
      id: 'middle',
      title: 'Round the middle of the map',
      name: 'Watch',
      draft: { center: lngLat(desk.view), within_m: NEAR_M },
    })
  return out
}

wholePage.run(() => {
  watch(
    () => desk.watch,
    () => void readInside().catch(complain),
  )
})
