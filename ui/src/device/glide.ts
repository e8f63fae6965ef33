// Where the device is shown between two fixes: it glides from one to the next, so that nothing jumps.

import type { LatLng } from '../chart/camera'
import { wrapLng } from '../chart/camera'
import { distanceM } from '../chart/geodesic'

const LONGEST_MS = 1100
/** Farther than this it does not glide for long: it was somewhere else. */
const FAR_M = 400
const FAR_MS = 250

export class Glide {
  private from: LatLng | null = null
  private to: LatLng | null = null
  private beganMs = 0
  private takesMs = 0
  private lastMs = 0

  clear(): void {
    this.from = this.to = null
  }

  /** A new position is known, at a time in milliseconds; it is reached when the next one may be expected. */
  head(to: LatLng, nowMs: number): void {
    const here = this.at(nowMs)
    const interval = this.to ? nowMs - this.lastMs : 0
    this.lastMs = nowMs
    this.from = here ?? to
    this.to = to
    this.beganMs = nowMs
    this.takesMs = here && distanceM(here, to) > FAR_M ? FAR_MS : Math.min(LONGEST_MS, interval)
  }

  /** Where it is at a time. */
  at(nowMs: number): LatLng | null {
    if (!this.from || !this.to) return null
    const f = this.takesMs > 0 ? Math.max(0, Math.min(1, (nowMs - this.beganMs) / this.takesMs)) : 1
    return {
      lat: this.from.lat + f * (this.to.lat - this.from.lat),
      lng: wrapLng(this.from.lng + f * wrapLng(this.to.lng - this.from.lng)),
    }
  }

  /** Whether it is still on its way. */
  gliding(nowMs: number): boolean {
    return !!this.to && nowMs < this.beganMs + this.takesMs
  }
}
