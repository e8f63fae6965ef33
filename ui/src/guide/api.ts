// From what the server answers to what the guide takes.

import type { Route } from '../api/client'
import type { Played } from '../device/player'
import { WayLine } from './way'

/** A route as the guide needs it. */
export function wayOf(route: Route): WayLine {
  const line = route.geometry.coordinates.map(([lng, lat]) => ({ lat: lat!, lng: lng! }))
  const steps = route.properties.legs.flatMap((l) => l.steps)
  const bare = new WayLine(line, [])
  return new WayLine(
    line,
    steps.map((s) => ({ atM: bare.alongM[s.from]!, distanceM: s.distance_m, durationS: s.duration_s })),
  )
}

interface Sent {
  geometry: { coordinates: number[] }
  properties: {
    time: string
    elapsed_s: number
    accuracy_m: number
    altitude_m: number | null
    heading_deg: number | null
    speed_mps: number
    compass_deg: number | null
    compass_accuracy_deg: number | null
    true_position: [number, number]
    along_m: number
    astray: boolean
  }
}

/** The fixes of a rehearsal from the GeoJSON text sequence of its track. */
export function fixesOf(text: string): Played[] {
  return text.split('\x1e').flatMap((one) => {
    if (!one.trim()) return []
    const { geometry, properties: p } = JSON.parse(one) as Sent
    return {
      at: { lat: geometry.coordinates[1]!, lng: geometry.coordinates[0]! },
      accuracyM: p.accuracy_m,
      altitudeM: p.altitude_m,
      altitudeAccuracyM: null,
      headingDeg: p.heading_deg,
      speedMps: p.speed_mps,
      timeMs: Date.parse(p.time),
      elapsedS: p.elapsed_s,
      pointing: { headingDeg: p.compass_deg, accuracyDeg: p.compass_accuracy_deg, absolute: true },
      truth: { lat: p.true_position[1], lng: p.true_position[0], alongM: p.along_m, astray: p.astray },
    }
  })
}
