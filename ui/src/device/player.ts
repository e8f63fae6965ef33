// A device that only pretends: it plays fixes that are known beforehand, as fast as wanted, forwards, step by step, or
// from anywhere.

import type { Fix, Pointing, Sink, Source, Wanted } from './source'

/** A fix of a journey, and what the compass shows then. */
export interface Played extends Fix {
  /** Seconds since the journey began. */
  elapsedS: number
  pointing: Pointing
  /** Where the device really is, how far it has come, and whether it is on a wrong road. */
  truth: { lat: number; lng: number; alongM: number; astray: boolean }
}

export const SPEEDS = [1, 2, 5, 10, 30, 60] as const

export class Player implements Source {
  readonly simulated = true
  private sink: Sink | null = null
  private speedNow = 1
  private at = 0
  private wallMs = 0
  private isPlaying = false
  private next = 0
  private timer = 0
  private once = false

  constructor(
    readonly fixes: readonly Played[],
    /** Called whenever it has moved, begun or halted. */
    private readonly changed: () => void = () => {},
  ) {}

  get lengthS(): number {
    return this.fixes.at(-1)?.elapsedS ?? 0
  }

  get playing(): boolean {
    return this.isPlaying
  }

  get speed(): number {
    return this.speedNow
  }

  /** How many seconds of the journey have passed. */
  get elapsedS(): number {
    const on = this.isPlaying ? ((performance.now() - this.wallMs) / 1000) * this.speedNow : 0
    return Math.min(this.lengthS, this.at + on)
  }

  /** The fix that was told last. */
  get current(): Played | null {
    return this.fixes[this.next - 1] ?? null
  }

  now(): number {
    const first = this.fixes[0]
    return (first ? first.timeMs - first.elapsedS * 1000 : 0) + this.elapsedS * 1000
  }

  start(sink: Sink, wanted: Wanted): void {
    this.sink = sink
    this.once = !!wanted.once
    const now = this.current ?? this.fixes[0]
    if (!now) return sink.trouble('unavailable')
    if (this.next) this.tell(now)
    else this.advance()
  }

  stop(): void {
    this.pause()
    this.sink = null
  }

  play(): void {
    if (this.isPlaying) return
    if (this.elapsedS >= this.lengthS) this.seek(0)
    this.isPlaying = true
    this.wallMs = performance.now()
    this.advance()
    this.changed()
  }

  pause(): void {
    clearTimeout(this.timer)
    if (!this.isPlaying) return
    this.at = this.elapsedS
    this.isPlaying = false
    this.advance() // what was due and not told yet, on a busy page
    this.changed()
  }

  setSpeed(speed: number): void {
    this.at = this.elapsedS
    this.wallMs = performance.now()
    this.speedNow = Math.max(SPEEDS[0], Math.min(SPEEDS.at(-1)!, speed))
    if (this.isPlaying) this.advance()
    this.changed()
  }

  /** Goes to a moment of the journey. What was told before is as if it had not been. */
  seek(elapsedS: number): void {
    this.at = Math.max(0, Math.min(this.lengthS, elapsedS))
    this.wallMs = performance.now()
    // The last fix at or before that moment is told next.
    let n = 0
    while (n + 1 < this.fixes.length && this.fixes[n + 1]!.elapsedS <= this.at) n++
    this.next = n
    this.sink?.restart()
    this.advance()
    this.changed()
  }

  /** Goes on by so many fixes, back where negative. */
  step(by: number): void {
    this.pause()
    const n = Math.max(0, Math.min(this.fixes.length - 1, this.next - 1 + by))
    const to = this.fixes[n]
    if (to) this.seek(to.elapsedS)
  }

  private tell(f: Played): void {
    this.sink?.pointing(f.pointing)
    this.sink?.fix(f)
    if (this.once) this.stop()
  }

  /** Tells what is due, and wakes up when the next fix is. */
  private advance(): void {
    clearTimeout(this.timer)
    const elapsed = this.elapsedS
    while (this.next < this.fixes.length && this.fixes[this.next]!.elapsedS <= elapsed + 1e-6) {
      this.next++
      this.tell(this.fixes[this.next - 1]!)
    }
    if (!this.isPlaying) return
    const due = this.fixes[this.next]
    if (!due) {
      this.pause()
      return
    }
    this.timer = window.setTimeout(() => this.advance(), Math.max(0, ((due.elapsedS - elapsed) / this.speedNow) * 1000))
  }
}
