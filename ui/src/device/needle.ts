// A compass needle that does not tremble, and that says when it cannot be trusted.

import { shortestTurn } from '../chart/camera'
import type { Fix, Pointing } from './source'

/** How fast the needle follows, in seconds: slowly while it trembles, fast when it is really turned. */
const SLOW_S = 0.8
const FAST_S = 0.12
/** From this many degrees off the needle is really being turned. */
const TURNED_DEG = 30
/** A compass that says of itself that it may be off by more is not trusted. */
const UNSURE_DEG = 25
/** Walking this fast one looks where one goes, so that course and needle can be compared. */
const WALKING_MPS = 0.9
const COMPARED = 12
const OFF_DEG = 45

export type Distrust = 'relative' | 'inaccurate' | 'against course'

export class Needle {
  private degrees: number | null = null
  private seenMs = 0
  private last: Pointing | null = null
  /** By how much the needle was off the course lately, as a sum of unit vectors. */
  private offs: number[] = []

  /** The smoothed direction; null where there is none. */
  get headingDeg(): number | null {
    return this.degrees
  }

  get accuracyDeg(): number | null {
    return this.last?.accuracyDeg ?? null
  }

  /** Why the needle cannot be trusted; null where it can, or where there is none. */
  get distrust(): Distrust | null {
    if (this.degrees === null || !this.last) return null
    if (!this.last.absolute) return 'relative'
    if ((this.last.accuracyDeg ?? 0) > UNSURE_DEG) return 'inaccurate'
    if (this.offs.length >= COMPARED && Math.abs(mean(this.offs)) > OFF_DEG) return 'against course'
    return null
  }

  /** A new reading, at a time in milliseconds. */
  turn(p: Pointing, nowMs: number): void {
    // Where both kinds come, the one that knows north counts.
    if (!p.absolute && this.last?.absolute && this.degrees !== null) return
    if (p.headingDeg === null && this.last && this.last.absolute !== p.absolute) return
    this.last = p
    if (p.headingDeg === null || !Number.isFinite(p.headingDeg)) {
      this.degrees = null
      return
    }
    if (this.degrees === null) this.degrees = p.headingDeg
    const seconds = Math.max(0, Math.min(1, (nowMs - this.seenMs) / 1000))
    this.seenMs = nowMs
    const off = shortestTurn(p.headingDeg - this.degrees)
    const share = Math.min(1, Math.abs(off) / TURNED_DEG)
    const slow = SLOW_S + (FAST_S - SLOW_S) * share
    this.degrees = (this.degrees + off * (1 - Math.exp(-seconds / slow)) + 360) % 360
  }

  /** Compares the needle with the course of a device that moves. */
  compare(f: Fix): void {
    if (this.degrees === null || f.headingDeg === null || (f.speedMps ?? 0) < WALKING_MPS) return
    this.offs.push(shortestTurn(this.degrees - f.headingDeg))
    if (this.offs.length > COMPARED) this.offs.shift()
  }
}

/** The mean of directions, by their unit vectors. */
function mean(degrees: number[]): number {
  const rad = Math.PI / 180
  let [x, y] = [0, 0]
  for (const d of degrees) {
    x += Math.cos(d * rad)
    y += Math.sin(d * rad)
  }
  return Math.atan2(y, x) / rad
}
