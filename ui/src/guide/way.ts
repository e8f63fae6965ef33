// A way to go as the guide needs it: its line on a plane, the metres along it, and its steps.

import type { LatLng } from '../chart/camera'
import { wrapLng } from '../chart/camera'
import { distanceM } from '../chart/geodesic'

/** One instruction: what is to be done at its junction, and how far the street is followed then. */
export interface GuideStep {
  /** Metres along the way to its junction. */
  atM: number
  distanceM: number
  durationS: number
}

const RAD = Math.PI / 180

/** A line on a plane that touches the Earth in its middle; good for offsets from the line, not for its length. */
export class WayLine {
  /** East and north of each point, and the metres along the way to it. */
  readonly x: Float64Array
  readonly y: Float64Array
  readonly alongM: Float64Array
  /** The direction of the stretch after each point, in degrees. */
  readonly bearing: Float64Array
  private readonly origin: LatLng
  private readonly east: number
  private readonly north: number

  constructor(
    readonly line: readonly LatLng[],
    readonly steps: readonly GuideStep[],
  ) {
    const n = line.length
    this.origin = line[n >> 1]!
    const s = Math.sin(this.origin.lat * RAD)
    // The radii of curvature of the ellipsoid WGS 84 in the prime vertical and in the meridian.
    const w = Math.sqrt(1 - 0.00669437999014 * s * s)
    this.east = (6378137 / w) * Math.cos(this.origin.lat * RAD) * RAD
    this.north = ((6378137 * (1 - 0.00669437999014)) / w ** 3) * RAD
    this.x = new Float64Array(n)
    this.y = new Float64Array(n)
    this.alongM = new Float64Array(n)
    this.bearing = new Float64Array(n)
    for (let i = 0; i < n; i++) {
      ;[this.x[i], this.y[i]] = this.plane(line[i]!)
      if (!i) continue
      this.alongM[i] = this.alongM[i - 1]! + distanceM(line[i - 1]!, line[i]!)
      const b = Math.atan2(this.x[i]! - this.x[i - 1]!, this.y[i]! - this.y[i - 1]!) / RAD
      this.bearing[i - 1] = (b + 360) % 360
    }
    this.bearing[n - 1] = this.bearing[Math.max(0, n - 2)]!
  }

  get lengthM(): number {
    return this.alongM[this.alongM.length - 1]!
  }

  /** East and north of a position, in metres. */
  plane(p: LatLng): [number, number] {
    return [wrapLng(p.lng - this.origin.lng) * this.east, (p.lat - this.origin.lat) * this.north]
  }

  /** The index of the stretch that holds a distance along the way, looked for from an index nearby. */
  stretch(m: number, near = 0): number {
    let i = Math.min(near, this.alongM.length - 2)
    while (i > 0 && this.alongM[i]! > m) i--
    while (i < this.alongM.length - 2 && this.alongM[i + 1]! <= m) i++
    return Math.max(0, i)
  }

  /** The position at a distance along the way. */
  at(m: number): LatLng {
    const i = this.stretch(m, this.near(m))
    const l = this.alongM[i + 1]! - this.alongM[i]!
    const f = l > 0 ? Math.max(0, Math.min(1, (m - this.alongM[i]!) / l)) : 0
    const [a, b] = [this.line[i]!, this.line[i + 1]!]
    return { lat: a.lat + f * (b.lat - a.lat), lng: wrapLng(a.lng + f * wrapLng(b.lng - a.lng)) }
  }

  /** An index near a distance along the way, by bisection. */
  near(m: number): number {
    let [low, high] = [0, this.alongM.length - 1]
    while (high - low > 1) {
      const middle = (low + high) >> 1
      if (this.alongM[middle]! <= m) low = middle
      else high = middle
    }
    return low
  }

  /** The index of the step whose street holds a distance along the way. */
  stepAt(m: number): number {
    let i = 0
    while (i + 1 < this.steps.length && this.steps[i + 1]!.atM <= m) i++
    return i
  }

  /** The place of the line that is nearest to a position between two distances along the way, and how far off it is. */
  nearest(p: LatLng, fromM = 0, toM = Infinity): { alongM: number; offM: number } {
    const [px, py] = this.plane(p)
    let best = { alongM: fromM, offM: Infinity }
    for (let i = this.near(fromM); i < this.x.length - 1 && this.alongM[i]! <= toM; i++) {
      const dx = this.x[i + 1]! - this.x[i]!
      const dy = this.y[i + 1]! - this.y[i]!
      const l = dx * dx + dy * dy
      const along = this.alongM[i + 1]! - this.alongM[i]!
      const f = l > 0 ? Math.max(0, Math.min(1, ((px - this.x[i]!) * dx + (py - this.y[i]!) * dy) / l)) : 0
      const m = Math.max(fromM, Math.min(toM, this.alongM[i]! + f * along))
      const g = along > 0 ? (m - this.alongM[i]!) / along : 0
      const off = Math.hypot(this.x[i]! + g * dx - px, this.y[i]! + g * dy - py)
      if (off < best.offM) best = { alongM: m, offM: off }
    }
    return best
  }
}
