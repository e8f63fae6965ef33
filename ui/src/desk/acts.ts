// What can be done from anywhere: by a button, by a key, from a label on the map.

import { shallowRef } from 'vue'
import type { Chart } from '../chart/chart'
import type { LatLng } from '../chart/camera'
import { desk, type Named } from './desk'
import { beginNew, editing, stepBack, stepOn } from './editing'
import { NOTATIONS, chosenNotation, position } from './format'
import { destination } from '../chart/geodesic'
import { redo, undo } from './history'
import { complain, say } from './notice'
import { verticesOf } from './outline'
import { deletePlace, places, type Place } from './places'
import { whatIsAt } from './reverse'
import { device, positionOnce, standStill } from './device'

/** The map, once it is there. */
export const chart = shallowRef<Chart | null>(null)

export function select(id: string, look = false): void {
  desk.place = id
  desk.spot = null
  editing.open = false
  const p = places.get(id)
  if (look && p) show(p)
}

/** Brings a position into view; nearer when the view is wide. */
export function lookAt(p: LatLng, zoom?: number): void {
  const c = chart.value
  if (c) c.flyTo({ lat: p.lat, lng: p.lng, zoom: Math.max(c.view.zoom, zoom ?? 15) })
}

/** What keys do as long as nothing is selected and there is no standpoint: the lines of the first page. */
export const firstActs = shallowRef<Record<string, () => void>>({})

/** An address this near is where one stands, for want of another name. */
const AT_ADDRESS_M = 40

/** Takes a standpoint: its ring is brought into view, and it is called by its address where it has no name. */
export function standAt(p: Named): void {
  const standpoint: Named = { lat: p.lat, lng: p.lng, name: p.name, accuracyM: p.accuracyM }
  standStill()
  desk.standpoint = standpoint
  desk.spot = null
  if (desk.bench === 'places') desk.bench = 'around'
  if (desk.bench === 'around') fitRing()
  else if (!desk.destination) lookAt(p)
  say(`Standing at ${p.name || position(p)}`)
  if (!p.name) void nameStandpoint(standpoint).catch(complain)
}

async function nameStandpoint(p: Named): Promise<void> {
  const near = (await whatIsAt(p))?.properties
  const now = desk.standpoint
  if (
    near?.label &&
    near.kind === 'address' &&
    (near.distance_m ?? Infinity) < AT_ADDRESS_M &&
    now &&
    !now.name &&
    position(now) === position(p)
  )
    now.name = near.label
}

/** Brings the whole ring into view. */
export function fitRing(): void {
  const at = desk.standpoint
  if (at) chart.value?.fit(ringCorners(at, desk.withinM))
}

/** The outermost positions of a circle. */
export const ringCorners = (at: LatLng, m: number): LatLng[] => [0, 90, 180, 270].map((b) => destination(at, b, m))

export function goTo(p: Named): void {
  desk.destination = { lat: p.lat, lng: p.lng, name: p.name }
  desk.spot = null
  desk.bench = 'journey'
}

export function keepAt(p: Named, source: string): void {
  beginNew(p, p.name ?? '', { accuracyM: p.accuracyM, source, address: source === 'address' ? p.name : undefined })
}

export async function copy(text: string, what: string): Promise<void> {
  try {
    await navigator.clipboard.writeText(text)
    say(`Copied ${what}: ${text}`)
  } catch {
    say(`The browser does not let the page copy. Here it is: ${text}`, { wrong: true })
  }
}

export function removePlace(p: Place): void {
  if (desk.place === p.id) desk.place = null
  editing.open = false
  deletePlace(p).catch(complain)
}

/** Where the device is, once; reason says what for. */
export async function positionHere(reason: string): Promise<Named & { accuracyM: number }> {
  const fix = await positionOnce(reason)
  return { ...fix.at, name: device.simulated ? 'the simulated device' : 'where I am', accuracyM: fix.accuracyM }
}

/** Stands where the device is. */
export function standHere(): void {
  positionHere('to stand where you are').then(standAt, complain)
}

/** Keeps a place where the device is. */
export function keepHere(): void {
  positionHere('to save a place where you are').then((p) => {
    beginNew(p, '', { accuracyM: p.accuracyM, source: device.simulated ? 'simulated' : 'device' })
    lookAt(p)
  }, complain)
}

/** Keeps a place in the middle of the map. */
export function keepMiddle(): void {
  if (desk.view) beginNew(desk.view, '', { source: 'map' })
}

/** Takes back what was done last: a step on the map in the form that is open, or a change that was saved. */
export const takeBack = (): void => void (stepBack() || undo().catch(complain))
export const doAgain = (): void => void (stepOn() || redo().catch(complain))

/** Brings a place, a path or an area into view. */
export function show(p: Place): void {
  if (p.outline)
    chart.value?.fit(p.outline.kind === 'circle' ? ringCorners(p.outline.at, p.outline.radiusM) : verticesOf(p.outline))
  else if (p.at) lookAt(p.at)
}

/** Copies a position in the notation that one has chosen. */
export function copyPosition(p: LatLng, notation = chosenNotation.value): void {
  const n = NOTATIONS[notation] ?? NOTATIONS.decimal!
  void copy(n.copy(p), n.title)
}
