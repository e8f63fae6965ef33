// What lies round the standpoint, for the list, the map's labels and its edge.

import { shallowRef } from 'vue'
import type { Feature } from '../api/client'
import { bearing, metres } from './format'

/** The places of the ring, nearest first. */
export const inRing = shallowRef<Feature[]>([])
const notes = new Map<string, string>()

export function setInRing(features: Feature[]): void {
  notes.clear()
  for (const f of features)
    notes.set(f.id!, `${metres(f.properties.distance_m ?? 0)} ${bearing(f.properties.bearing_deg)}`)
  inRing.value = features
}
/** How far a place of the ring is and which way, as it stands on its label; '' for others. */
export const noteOf = (id: string): string => notes.get(id) ?? ''

/** A turn from one direction to another, −180 to 180; to the right is positive. */
export const turnBetween = (from: number, to: number): number => ((to - from + 540) % 360) - 180

/** Round distances for rings up to a greatest one, in metres: three or four of them. */
export function roundRings(withinM: number): number[] {
  const step = [1, 2, 2.5, 5, 10]
    .map((s) => s * 10 ** Math.floor(Math.log10(withinM / 4)))
    .find((s) => withinM / s <= 4.2)!
  return Array.from({ length: Math.floor(withinM / step + 1e-9) }, (_, i) => step * (i + 1))
}
