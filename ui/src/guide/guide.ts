// Where somebody is on a way, which step he is on, and whether he has left it.
//
// A receiver's error drifts: for a minute the device is off by the same ten metres. So the place on the way is not the
// point of the line nearest to the fix. Guide holds many guesses at once, each of a place on the way, a speed and an
// error of the receiver, and weighs them by how well they explain each fix (particle filter: Gordon, Salmond and Smith
// 1993). An error across one street is known from it, and so is the error along the next after the corner. The step
// that is shown is the one that most of the weight is on.
//
// Whether the way was left is decided between two explanations of the fixes: somebody moves along the way, or freely.
// The logarithm of how much better the second explains each fix is added up, and never falls below zero (Page 1954);
// past a threshold the way was left. A fix costs some 60 microseconds.

import { shortestTurn } from '../chart/camera'
import type { Fix } from '../device/source'
import { Chance } from './chance'
import type { WayLine } from './way'

const GUESSES = 240
/** Each fix so many guesses are made anew where the fix lies, in case all others are wrong. */
const FRESH = 6
const FRESH_WEIGHT = 0.02
/** For how long a receiver's error stays alike, in seconds. */
const DRIFT_S = 60
/** The radius that holds 95 of 100 over the standard deviation on one axis. */
const NINETY_FIVE = 2.448
/** How far a road may lie from where it is drawn, in metres. */
const DRAWN_M = 2
const RAD = Math.PI / 180
/** The share of directions that fit nothing. */
const ODD = 0.02
/** What one fix may add to the suspicion that the way was left, and from where on it was. */
const MOST_SUSPICION = 2
const LEFT = 10
/** After so many seconds without a fix nothing is suspected yet. */
const GAP_S = 8
const ARRIVED_M = 15
/** A device that measures no velocity has moved from where it was so many seconds ago. */
const LOOK_BACK_S = 5
/** The error of a velocity that was measured by its Doppler shift, in metres per second. */
const DOPPLER_MPS = 0.2
/** Below this there is no heading. */
const HARDLY_MPS = 0.7

/** How fast and which way a device moves, and the error of that in metres per second; null where unknown. */
interface Velocity {
  speedMps: number | null
  headingDeg: number | null
  errorMps: number
  /** Over how many seconds it was found; 0 where it was measured. */
  overS: number
}

export type GuideState = 'joining' | 'on' | 'off' | 'arrived'

/** Where somebody is on the way. */
export interface Progress {
  state: GuideState
  /** Metres along the way. */
  alongM: number
  /** The step whose street is being followed. */
  step: number
  /** Metres to the junction of the next step. */
  toNextM: number
  /** Metres and seconds to the end; seconds by the pace so far. */
  remainingM: number
  remainingS: number
  /** How far the device seems to be from the way, in metres. */
  offM: number
}

export class Guide {
  private readonly s = new Float64Array(GUESSES)
  private readonly v = new Float64Array(GUESSES)
  private readonly bx = new Float64Array(GUESSES)
  private readonly by = new Float64Array(GUESSES)
  private readonly w = new Float64Array(GUESSES).fill(1 / GUESSES)
  private readonly at = new Uint32Array(GUESSES) // the stretch of each guess
  private readonly chance: Chance
  private last: Fix | null = null
  private recent: Fix[] = []
  private velocity: Velocity = { speedMps: null, headingDeg: null, errorMps: DOPPLER_MPS, overS: 0 }
  private headingBefore: number | null = null
  private suspicion = 0
  private joined = false
  private pace = 1
  private progress: Progress

  constructor(
    readonly way: WayLine,
    seed = 1,
  ) {
    this.chance = new Chance(seed)
    this.progress = this.read('joining', 0)
  }

  get now(): Progress {
    return this.progress
  }

  /** Takes the next fix, and says where that is on the way. */
  take(f: Fix): Progress {
    const sigma = Math.max(1.5, f.accuracyM / NINETY_FIVE)
    const seconds = this.last ? (f.timeMs - this.last.timeMs) / 1000 : 0
    if (this.last && seconds <= 0) return this.progress
    const before = this.progress.alongM
    const velocity = this.velocityAt(f, sigma)
    const near = this.way.nearest(f.at)
    if (!this.joined) {
      // Who sets out from a house is not on the way yet, and has not left it.
      if (near.offM > 2 * f.accuracyM + 30) {
        this.last = f
        return (this.progress = { ...this.read('joining', near.offM), alongM: near.alongM })
      }
      this.joined = true
      this.scatter(f, near.alongM, sigma)
    } else {
      this.move(seconds, sigma, velocity)
      const on = this.weigh(f, sigma, velocity)
      this.suspect(on, this.freely(f, sigma, seconds, velocity), seconds)
      this.freshen(f, sigma)
      this.resample()
    }
    this.last = f
    this.velocity = velocity
    if (velocity.headingDeg !== null) this.headingBefore = velocity.headingDeg
    const state = this.suspicion > LEFT ? 'off' : this.isThere() ? 'arrived' : 'on'
    this.progress = this.read(state, near.offM)
    this.keepPace(before, seconds)
    return this.progress
  }

  /** As it was measured, else by how far the device has come. */
  private velocityAt(f: Fix, sigma: number): Velocity {
    if (f.speedMps !== null) return { speedMps: f.speedMps, headingDeg: f.headingDeg, errorMps: DOPPLER_MPS, overS: 0 }
    this.recent = [...this.recent.filter((r) => f.timeMs - r.timeMs <= LOOK_BACK_S * 1000 && r.timeMs < f.timeMs), f]
    const first = this.recent[0]!
    const seconds = (f.timeMs - first.timeMs) / 1000
    if (seconds < LOOK_BACK_S - 1.5) return { speedMps: null, headingDeg: null, errorMps: 2, overS: 0 }
    const [ax, ay] = this.way.plane(first.at)
    const [bx, by] = this.way.plane(f.at)
    const drift = sigma * Math.sqrt(2 * (1 - Math.exp(-seconds / DRIFT_S)))
    const errorMps = Math.hypot(drift, 0.35 * sigma) / seconds
    const heading = (Math.atan2(bx - ax, by - ay) / RAD + 360) % 360
    return { speedMps: Math.hypot(bx - ax, by - ay) / seconds, headingDeg: heading, errorMps, overS: seconds }
  }

  private scatter(f: Fix, alongM: number, sigma: number): void {
    const [zx, zy] = this.way.plane(f.at)
    for (let i = 0; i < GUESSES; i++) this.guess(i, alongM + sigma * this.chance.normal(), f, zx, zy, sigma)
    this.w.fill(1 / GUESSES)
  }

  /** One guess of a place on the way, with the error that explains the fix as far as one may. */
  private guess(i: number, m: number, f: Fix, zx: number, zy: number, sigma: number): void {
    const s = Math.max(0, Math.min(this.way.lengthM, m))
    this.s[i] = s
    this.v[i] = Math.max(0, (f.speedMps ?? 1) + 0.3 * this.chance.normal())
    const k = this.way.stretch(s, this.way.near(s))
    this.at[i] = k
    const [x, y] = this.place(k, s)
    this.bx[i] = 0.8 * (zx - x) + 0.3 * sigma * this.chance.normal()
    this.by[i] = 0.8 * (zy - y) + 0.3 * sigma * this.chance.normal()
  }

  private place(k: number, s: number): [number, number] {
    const { x, y, alongM } = this.way
    const l = alongM[k + 1]! - alongM[k]!
    const f = l > 0 ? (s - alongM[k]!) / l : 0
    return [x[k]! + f * (x[k + 1]! - x[k]!), y[k]! + f * (y[k + 1]! - y[k]!)]
  }

  /** All guesses go on for so many seconds. */
  private move(seconds: number, sigma: number, velocity: Velocity): void {
    const keep = Math.exp(-seconds / DRIFT_S)
    const drift = sigma * Math.sqrt(1 - keep * keep)
    const measured = velocity.speedMps
    const error = 1.25 * velocity.errorMps
    for (let i = 0; i < GUESSES; i++) {
      let v = this.v[i]!
      if (measured !== null && seconds <= GAP_S) v = measured + (error + 0.05 * measured) * this.chance.normal()
      else v += (0.4 + 0.15 * v) * Math.sqrt(Math.min(seconds, 30)) * this.chance.normal()
      v = Math.max(0, v)
      this.v[i] = v
      const s = Math.min(this.way.lengthM, this.s[i]! + v * seconds)
      this.s[i] = s
      this.at[i] = this.way.stretch(s, this.at[i]!)
      this.bx[i] = keep * this.bx[i]! + drift * this.chance.normal()
      this.by[i] = keep * this.by[i]! + drift * this.chance.normal()
    }
  }

  /** Weighs the guesses by a fix, and returns how likely they made it on the whole. */
  private weigh(f: Fix, sigma: number, velocity: Velocity): number {
    const [zx, zy] = this.way.plane(f.at)
    const white = Math.hypot(0.35 * sigma, DRAWN_M)
    const heading = velocity.headingDeg
    const spread = headingSpread(velocity)
    let sum = 0
    for (let i = 0; i < GUESSES; i++) {
      const k = this.at[i]!
      const [x, y] = this.place(k, this.s[i]!)
      let p = bell((zx - x - this.bx[i]!) / white) * bell((zy - y - this.by[i]!) / white)
      p = p / (white * white) + 1e-9
      if (heading !== null && spread) p *= headingLikely(heading, this.direction(i, velocity), spread)
      this.w[i] = this.w[i]! * p
      sum += this.w[i]!
    }
    for (let i = 0; i < GUESSES; i++) this.w[i] = sum > 0 ? this.w[i]! / sum : 1 / GUESSES
    return sum
  }

  /** Which way somebody has come who is where a guess says: by its street, or since the velocity was looked for. */
  private direction(i: number, { speedMps, overS }: Velocity): number {
    const k = this.at[i]!
    if (!overS || this.s[i]! <= this.way.alongM[k]! + 1) return this.way.bearing[k]!
    const s = Math.max(0, this.s[i]! - speedMps! * overS)
    if (s >= this.way.alongM[k]!) return this.way.bearing[k]!
    const [ax, ay] = this.place(this.way.stretch(s, k), s)
    const [bx, by] = this.place(k, this.s[i]!)
    return Math.atan2(bx - ax, by - ay) / RAD
  }

  /** How likely a fix is for somebody who moves freely, going on as before. */
  private freely(f: Fix, sigma: number, seconds: number, velocity: Velocity): number {
    const last = this.last!
    const before = this.velocity
    const [zx, zy] = this.way.plane(f.at)
    const [ax, ay] = this.way.plane(last.at)
    const speed = before.speedMps ?? 0
    const heading = before.headingDeg ?? 0
    const moves = before.headingDeg !== null && before.speedMps !== null
    const ex = ax + (moves ? speed * Math.sin(heading * RAD) * seconds : 0)
    const ey = ay + (moves ? speed * Math.cos(heading * RAD) * seconds : 0)
    const keep = Math.exp(-seconds / DRIFT_S)
    const white = Math.hypot(0.35 * sigma, DRAWN_M)
    const spreadM = Math.hypot(
      Math.SQRT2 * white,
      sigma * Math.sqrt(2 * (1 - keep)),
      (moves ? 2 * before.errorMps + 0.1 + 0.1 * speed : 3) * seconds,
    )
    let p = (bell((zx - ex) / spreadM) * bell((zy - ey) / spreadM)) / (spreadM * spreadM) + 1e-9
    const spread = headingSpread(velocity)
    if (velocity.headingDeg !== null && spread)
      p *= this.headingBefore === null ? 1 / 360 : headingLikely(velocity.headingDeg, this.headingBefore, 1.4 * spread)
    return p
  }

  private suspect(on: number, free: number, seconds: number): void {
    if (seconds > GAP_S) {
      this.suspicion = 0
      return
    }
    const more = Math.log(free / Math.max(on, 1e-300))
    this.suspicion = Math.max(0, this.suspicion + Math.min(MOST_SUSPICION, more))
  }

  /** Puts some new guesses where the fix lies, in the place of the least likely ones. */
  private freshen(f: Fix, sigma: number): void {
    const from = Math.max(0, this.progress.alongM - 50)
    const near = this.way.nearest(f.at, from)
    if (near.offM > 4 * sigma) return
    const [zx, zy] = this.way.plane(f.at)
    for (let n = 0; n < FRESH; n++) {
      const i = this.chance.below(GUESSES)
      if (this.w[i]! > 1 / GUESSES) continue
      this.guess(i, near.alongM + sigma * this.chance.normal(), f, zx, zy, sigma)
      this.w[i] = FRESH_WEIGHT / GUESSES
    }
  }

  /** Systematic resampling (Kitagawa 1996), once the weight is on few guesses. */
  private resample(): void {
    let [sum, squares] = [0, 0]
    for (const w of this.w) sum += w
    for (let i = 0; i < GUESSES; i++) {
      this.w[i] = this.w[i]! / sum
      squares += this.w[i]! ** 2
    }
    if (1 / squares > GUESSES / 2) return
    const [s, v, bx, by, at] = [this.s.slice(), this.v.slice(), this.bx.slice(), this.by.slice(), this.at.slice()]
    let [k, total] = [0, this.w[0]!]
    const first = this.chance.next() / GUESSES
    for (let i = 0; i < GUESSES; i++) {
      const u = first + i / GUESSES
      while (total < u && k < GUESSES - 1) total += this.w[++k]!
      this.s[i] = s[k]!
      this.v[i] = v[k]!
      this.bx[i] = bx[k]!
      this.by[i] = by[k]!
      this.at[i] = at[k]!
    }
    this.w.fill(1 / GUESSES)
  }

  private isThere(): boolean {
    let there = 0
    for (let i = 0; i < GUESSES; i++) if (this.s[i]! >= this.way.lengthM - ARRIVED_M) there += this.w[i]!
    return there > 0.8
  }

  /** How much faster or slower than the way's own times somebody is, smoothed over some minutes. */
  private keepPace(before: number, seconds: number): void {
    const moved = this.progress.alongM - before
    const planned = this.planned(before) - this.planned(this.progress.alongM)
    if (moved <= 0 || planned <= 0 || seconds <= 0 || seconds > GAP_S) return
    const share = 1 - Math.exp(-planned / 180)
    this.pace += (Math.max(0.3, Math.min(4, seconds / planned)) - this.pace) * share
  }

  /** The seconds from a place to the end by the way's own times. */
  private planned(m: number): number {
    const { steps } = this.way
    const k = this.way.stepAt(m)
    let s = 0
    for (let i = k + 1; i < steps.length; i++) s += steps[i]!.durationS
    const step = steps[k]
    if (!step || step.distanceM <= 0) return s
    return s + step.durationS * Math.max(0, Math.min(1, 1 - (m - step.atM) / step.distanceM))
  }

  private read(state: GuideState, offM: number): Progress {
    const { steps } = this.way
    const mass = new Float64Array(Math.max(1, steps.length))
    let alongM = 0
    for (let i = 0; i < GUESSES; i++) {
      alongM += this.w[i]! * this.s[i]!
      const k = this.way.stepAt(this.s[i]!)
      mass[k] = mass[k]! + this.w[i]!
    }
    const step = state === 'arrived' ? Math.max(0, steps.length - 1) : mass.indexOf(Math.max(...mass))
    const next = steps[step + 1]
    return {
      state,
      alongM,
      step,
      toNextM: Math.max(0, (next?.atM ?? this.way.lengthM) - alongM),
      remainingM: Math.max(0, this.way.lengthM - alongM),
      remainingS: this.planned(alongM) * this.pace,
      offM,
    }
  }
}

/** The density of the normal distribution but for its scale. */
const bell = (z: number): number => Math.exp(-0.5 * z * z) * 0.3989422804

/** The standard deviation of a measured heading in degrees; 0 where the device hardly moves. */
function headingSpread({ speedMps, errorMps }: Velocity): number {
  if (speedMps === null || speedMps < Math.max(HARDLY_MPS, errorMps)) return 0
  return 9 + Math.atan(errorMps / speedMps) / RAD
}

/** How likely a heading is where another one was expected, per degree. */
function headingLikely(heading: number, expected: number, spread: number): number {
  const off = shortestTurn(heading - expected)
  return ((1 - ODD) * bell(off / spread)) / spread + ODD / 360
}
