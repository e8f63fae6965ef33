// When to say what on a journey: once well before a junction, once at it, and how far the street is followed after it.

import type { Progress } from './guide'

export type Voice = 'off' | 'on' | 'terse'

/** What there is to say. */
export type Call =
  | { kind: 'ahead'; step: number; toNextM: number }
  | { kind: 'now'; step: number }
  | { kind: 'follow'; step: number; forM: number }
  | { kind: 'arrived' }

/** A junction is told so many seconds before it, and at least so many metres; then again right at it. */
const AHEAD = { seconds: 30, metres: 60 }
const NOW = { seconds: 6, metres: 15 }
/** A street that is followed for less is not worth a word. */
const WORTH_M = 300

export class Caller {
  private step = -1
  private told = { ahead: false, now: false }
  private arrived = false

  /** What is to be said now, if anything; speed is in metres per second. */
  next(p: Progress, speedMps: number, last: number): Call | null {
    if (p.state === 'arrived') {
      if (this.arrived) return null
      this.arrived = true
      return { kind: 'arrived' }
    }
    if (p.state !== 'on') return null
    const began = p.step !== this.step
    if (began) {
      this.step = p.step
      this.told = { ahead: false, now: false }
    }
    const next = p.step + 1
    if (next > last) return null
    const within = (d: { seconds: number; metres: number }) => p.toNextM <= Math.max(d.metres, d.seconds * speedMps)
    if (within(NOW) && !this.told.now) {
      this.told = { ahead: true, now: true }
      return next === last ? null : { kind: 'now', step: next }
    }
    if (within(AHEAD) && !this.told.ahead) {
      this.told.ahead = true
      return { kind: 'ahead', step: next, toNextM: p.toNextM }
    }
    return began && p.toNextM > WORTH_M ? { kind: 'follow', step: p.step, forM: p.toNextM } : null
  }
}
