// What can be done from anywhere: by a button, by a key, from a label on the map.

import { shallowRef } from 'vue'
import type { Chart } from '../chart/chart'
import type { LatLng } from '../chart/camera'
import { desk, type Named } from './desk'
import { beginNew, editing } from './editing'
import { position } from './format'
import { complain, say } from './notice'
import { deletePlace, places, type Place } from './places'

/** The map, once it is there. */
export const chart = shallowRef<Chart | null>(null)

export function select(id: string, look = false): void {
  desk.place = id
  desk.spot = null
  editing.open = false
  const p = places.get(id)
  if (look && p?.at) lookAt(p.at)
}

/** Brings a position into view; nearer when the view is wide. */
export function lookAt(p: LatLng, zoom?: number): void {
  const c = chart.value
  if (c) c.flyTo({ lat: p.lat, lng: p.lng, zoom: Math.max(c.view.zoom, zoom ?? 15) })
}

export function standAt(p: Named): void {
  desk.standpoint = { lat: p.lat, lng: p.lng, name: p.name, accuracyM: p.accuracyM }
  desk.spot = null
  say(`Standing at ${p.name || position(p)}`)
}

export function goTo(p: Named): void {
  desk.destination = { lat: p.lat, lng: p.lng, name: p.name }
  desk.spot = null
  desk.bench = 'journey'
}

export function keepAt(p: Named, source: string): void {
  beginNew(p, p.name ?? '', { accuracyM: p.accuracyM, source })
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

/** Stands where the browser says that we are. */
export function standHere(): void {
  if (!navigator.geolocation) {
    say('This browser has no position. Click a spot on the map instead.', { wrong: true })
    return
  }
  navigator.geolocation.getCurrentPosition(
    ({ coords }) => {
      standAt({ lat: coords.latitude, lng: coords.longitude, name: 'where I am', accuracyM: coords.accuracy })
      lookAt({ lat: coords.latitude, lng: coords.longitude })
    },
    (e) =>
      say(
        e.code === e.PERMISSION_DENIED
          ? 'The browser does not give away where you are. Allow it in the address line, or click a spot on the map.'
          : 'The browser cannot tell where you are just now. Click a spot on the map instead.',
        { wrong: true },
      ),
    { enableHighAccuracy: true, timeout: 10_000 },
  )
}
