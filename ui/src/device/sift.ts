// What a receiver reports is not always true, nor in order. Sift lets through what can be, and says why something
// cannot.

import { distanceM } from '../chart/geodesic'
import type { Fix } from './source'

/** Faster than this nobody moves between two fixes: the speed of sound, in metres per second. */
const FASTEST_MPS = 340
/** A clock that is off by more than this is told, in milliseconds. */
export const CLOCK_OFF_MS = 60_000
/** What stands against what was known is believed when so many agree on it. */
const AGREEING = 3
const LATEST_MS = 2000

export type Refused = 'no position' | 'late or doubled' | 'too far at once' | 'from another time'

export interface Sifted {
  /** The fix, with its time by our clock; null where it was refused. */
  fix: Fix | null
  refused: Refused | null
}

export class Sift {
  private last: Fix | null = null
  /** How far the source's clock is behind ours, in milliseconds; NaN before the first fix. */
  private behind = NaN
  private odd: Fix[] = []

  /** By how much the source's clock is behind ours, 0 as long as that is no more than what a message takes. */
  get clockBehindMs(): number {
    return Math.abs(this.behind) > CLOCK_OFF_MS ? this.behind : 0
  }

  /**
   * Takes a fix that was received at a time by the page's clock, both in milliseconds since 1970. A clock that is off
   * is allowed for once several fixes agree on by how much; one fix alone is from the past or from the future.
   */
  take(f: Fix, receivedMs: number): Sifted {
    if (!isPosition(f)) return { fix: null, refused: 'no position' }
    const fix = cleaned(f)
    const lag = receivedMs - fix.timeMs
    if (Number.isNaN(this.behind)) {
      // What was measured long ago may be an old position, or be from a clock that is off: as yet it is old.
      this.behind = lag < -LATEST_MS ? lag : 0
    } else if (Math.abs(lag - this.behind) > CLOCK_OFF_MS) {
      if (!this.agree(fix, receivedMs)) return { fix: null, refused: 'from another time' }
      this.behind = lag
      this.last = null
    }
    const own = { ...fix, timeMs: fix.timeMs + this.clockBehindMs }
    const last = this.last
    if (last && own.timeMs <= last.timeMs) return { fix: null, refused: 'late or doubled' }
    if (last && tooFar(last, own)) {
      if (!this.agree(own, receivedMs)) return { fix: null, refused: 'too far at once' }
    }
    this.odd = []
    this.last = own
    return { fix: own, refused: null }
  }

  /** Whether enough fixes in a row, this one included, agree with each other and not with what was known. */
  private agree(f: Fix, receivedMs: number): boolean {
    const before = this.odd.at(-1)
    const fits = before && f.timeMs > before.timeMs && !tooFar(before, f)
    this.odd = fits ? [...this.odd, f] : [f]
    return this.odd.length >= AGREEING && receivedMs > 0
  }
}

function tooFar(a: Fix, b: Fix): boolean {
  const seconds = Math.max(1, (b.timeMs - a.timeMs) / 1000)
  return distanceM(a.at, b.at) > FASTEST_MPS * seconds + a.accuracyM + b.accuracyM
}

function isPosition(f: Fix): boolean {
  const { lat, lng } = f.at
  return (
    Number.isFinite(lat) &&
    Math.abs(lat) <= 90 &&
    Number.isFinite(lng) &&
    Math.abs(lng) <= 180 &&
    Number.isFinite(f.timeMs) &&
    Number.isFinite(f.accuracyM) &&
    f.accuracyM >= 0
  )
}

const orNull = (v: number | null): number | null => (v !== null && Number.isFinite(v) ? v : null)

function cleaned(f: Fix): Fix {
  const heading = orNull(f.headingDeg)
  const speed = orNull(f.speedMps)
  return {
    ...f,
    altitudeM: orNull(f.altitudeM),
    altitudeAccuracyM: orNull(f.altitudeAccuracyM),
    headingDeg: heading === null ? null : ((heading % 360) + 360) % 360,
    speedMps: speed === null || speed < 0 ? null : speed,
  }
}
