// The contract of whatever tells where a device is: the browser's own receiver, a rehearsal, a recorded file. All of
// them drive the same code.

import type { LatLng } from '../chart/camera'

/** One position as it was measured. Lengths are in metres, directions in degrees clockwise from true north. */
export interface Fix {
  at: LatLng
  /** The radius that holds the true position in 95 of 100 cases. */
  accuracyM: number
  altitudeM: number | null
  altitudeAccuracyM: number | null
  /** The direction of motion; null while it is unknown or the device stands. Unknown is not north. */
  headingDeg: number | null
  speedMps: number | null
  /** When it was measured, in milliseconds since 1970 by the clock of its source. */
  timeMs: number
}

/** Where the top of the device points. */
export interface Pointing {
  /** Null where the device cannot tell. */
  headingDeg: number | null
  /** By how much it may be wrong; null where the device does not say. */
  accuracyDeg: number | null
  /** False where the direction is counted from wherever the device pointed when it was switched on. */
  absolute: boolean
}

/** Why there is no position: permission is refused or withdrawn, the device cannot tell, or it took too long. */
export type Trouble = 'refused' | 'unavailable' | 'timeout'

/** What a source tells. It may call any of them at any time between start and stop, and none after. */
export interface Sink {
  /** A position, in whatever order and however wrong; see Sift. */
  fix(f: Fix): void
  pointing(p: Pointing): void
  /** There is no position just now; a source goes on trying, but for `refused`. */
  trouble(why: Trouble): void
  /** It goes on from another moment: what was told before counts no longer. */
  restart(): void
}

export interface Wanted {
  /** The best receiver, at the cost of the battery. */
  accurate: boolean
  /** Only one position; the source stops by itself when it has told it, or why there is none. */
  once?: boolean
}

export interface Source {
  /** Whether it only pretends. */
  readonly simulated: boolean
  /** Begins to tell; a source that has begun is stopped first. */
  start(sink: Sink, wanted: Wanted): void
  stop(): void
  /** The time by the clock that fixes carry, in milliseconds since 1970. */
  now(): number
}
