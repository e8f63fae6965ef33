// How the map moves: where it looks, and the motions that bring it elsewhere. What is drawn meanwhile is chart.ts.

import {
  Camera,
  MAX_ZOOM,
  MIN_ZOOM,
  TILE,
  keepUnder,
  shortestTurn,
  toLatLng,
  toWorld,
  type LatLng,
  type Spot,
  type View,
} from './camera'
import { ZOOM_STEP } from './tiles'

/** What the map is held to while it follows something. */
export interface Held {
  /** Where that is at a time in milliseconds; null while it is nowhere. */
  at(now: number): LatLng | null
  /** What is up on the screen then, in degrees; null where the map stays as it is turned. */
  up(now: number): number | null
  /** Where on the screen it is held, as shares of its width and height. */
  on: Spot
  /** Whether it moves, so that the next frame is drawn, too. */
  moves(now: number): boolean
}

/** How long the map takes to come to what it follows, in milliseconds. */
const CATCH_MS = 700
/** The map turns once the heading is so many degrees off, until it is no more than that, and no faster than this. */
const TURN_FROM = 7
const TURN_TO = 0.5
const TURN_S = 0.35
const FRICTION = 4.2 // a glide loses this share of its speed in a second, continuously

export abstract class Moving {
  protected current: Camera
  /** What moves the map with each frame, until it returns false. */
  protected motion: ((now: number) => boolean) | null = null
  /** Where the motion ends, where that is known: tiles and names are made ready for it on the way. */
  protected aim: Camera | null = null
  private held: Held | null = null
  /** How far what is held was from its place on the screen when that began, and when it did. */
  private off: { by: Spot; since: number } | null = null
  private turning = false
  private heldAt = 0
  /** Pixels at the edges that something lies over; fitting keeps clear of them. */
  padding = { left: 40, top: 40, right: 40, bottom: 40 }

  constructor(view: View, width: number, height: number) {
    this.current = new Camera(this.limit(view), width, height)
  }

  /** The view has changed. */
  protected abstract moved(): void
  /** The map flies to a view from now on, or to none any longer. */
  protected abstract aimed(aim: Camera | null): void
  /** The map follows nothing any longer: somebody has moved it. */
  protected abstract freed(): void
  /** Draws anew with the next frame, which moves the map on. */
  abstract invalidate(): void

  get camera(): Camera {
    return this.current
  }

  get view(): View {
    return this.current.view
  }

  get moving(): boolean {
    return !!this.motion
  }

  protected limit(v: View): View {
    const zoom = Math.max(MIN_ZOOM, Math.min(MAX_ZOOM, v.zoom))
    return { ...v, zoom, lat: Math.max(-84, Math.min(84, v.lat)), rotation: (((v.rotation ?? 0) % 360) + 360) % 360 }
  }

  setView(v: Partial<View>): void {
    this.current = new Camera(this.limit({ ...this.view, ...v }), this.current.width, this.current.height)
    this.moved()
    this.invalidate()
  }

  /**
   * Follows something from now on, or nothing; what moves the map elsewhere ends it. From afar, or from a zoom of less
   * than `least`, the map flies there first, so that one sees where one goes.
   */
  follow(held: Held | null, least = 14): void {
    this.held = held
    this.off = null
    this.turning = true
    const now = performance.now()
    const at = held?.at(now)
    if (!at) return
    const p = this.current.toScreen(at)
    const { width, height } = this.current
    const far = Math.hypot(p.x - width / 2, p.y - height / 2) > 1.2 * Math.max(width, height)
    if (far || this.view.zoom < least) this.fly({ ...at, zoom: Math.max(this.view.zoom, least) })
    this.invalidate()
  }

  get following(): boolean {
    return !!this.held
  }

  private free(): void {
    if (!this.held) return
    this.held = null
    this.freed()
  }

  /** Moves the map on with what it follows; called with each frame. */
  protected hold(now: number): void {
    const at = this.held?.at(now)
    if (!this.held || !at) return
    if (this.aim) {
      this.off = null // it flies or zooms; it is caught up with after that
      return
    }
    const { width, height } = this.current
    const place = { x: this.held.on.x * width, y: this.held.on.y * height }
    const seconds = Math.min(0.1, (now - this.heldAt) / 1000)
    this.heldAt = now
    const up = this.held.up(now)
    let view = this.view
    const away = up === null ? 0 : shortestTurn(up - view.rotation)
    this.turning = Math.abs(away) > (this.turning ? TURN_TO : TURN_FROM)
    const instantly = matchMedia('(prefers-reduced-motion: reduce)').matches
    if (this.turning && up !== null)
      view = this.limit({ ...view, rotation: view.rotation + away * (instantly ? 1 : 1 - Math.exp(-seconds / TURN_S)) })
    if (!this.off) {
      const p = this.current.toScreen(at)
      this.off = { by: { x: p.x - place.x, y: p.y - place.y }, since: now }
    }
    const left = instantly ? 0 : (1 - Math.min(1, (now - this.off.since) / CATCH_MS)) ** 3
    const spot = { x: place.x + this.off.by.x * left, y: place.y + this.off.by.y * left }
    view = keepUnder(view, width, height, spot, at)
    const p = new Camera(view, width, height).screenToWorld(spot)
    const q = this.current.screenToWorld(spot)
    const moved = Math.hypot(p.x - q.x, p.y - q.y) * this.current.size
    if (moved > 0.05 || view.rotation !== this.view.rotation) this.setView(view)
    if (left > 0 || this.turning || this.held.moves(now)) this.invalidate()
  }

  pan(dx: number, dy: number): void {
    this.free()
    const c = this.current
    const centre = c.screenToWorld({ x: c.width / 2 - dx, y: c.height / 2 - dy })
    this.setView(toLatLng({ x: centre.x, y: Math.max(0, Math.min(1, centre.y)) }))
  }

  zoomAt(by: number, at: Spot = { x: this.current.width / 2, y: this.current.height / 2 }): void {
    const p = this.current.fromScreen(at)
    const next = this.limit({ ...this.view, zoom: this.view.zoom + by })
    this.setView(keepUnder(next, this.current.width, this.current.height, at, p))
  }

  /** Comes to rest on the next zoom step, after as many levels more as asked for. */
  settle(by = 0, at: Spot = { x: this.current.width / 2, y: this.current.height / 2 }): void {
    if (!by && this.motion) return // something else moves the map already
    const { rotation } = this.view
    // Nearly north is meant as north.
    if (!by && !this.held && rotation !== 0 && Math.min(rotation, 360 - rotation) < 7) return this.turnTo(0)
    const from = this.view
    const to = Math.max(MIN_ZOOM, Math.min(MAX_ZOOM, Math.round((from.zoom + by) / ZOOM_STEP) * ZOOM_STEP))
    const p = this.current.fromScreen(at)
    const { width, height } = this.current
    this.animate(by ? 220 : 140, (f) =>
      keepUnder({ ...from, zoom: from.zoom + (to - from.zoom) * f }, width, height, at, p),
    )
  }

  /** Turns the map by degrees clockwise. */
  turn(by: number, at: Spot = { x: this.current.width / 2, y: this.current.height / 2 }): void {
    if (this.held?.up(performance.now()) != null) this.free()
    const p = this.current.fromScreen(at)
    this.setView(
      keepUnder(
        this.limit({ ...this.view, rotation: this.view.rotation - by }),
        this.current.width,
        this.current.height,
        at,
        p,
      ),
    )
  }

  /** Turns to where so many degrees are up; 0 is north. */
  turnTo(rotation: number): void {
    this.free()
    const from = this.view
    const by = shortestTurn(rotation - from.rotation)
    this.animate(260, (f) => ({ ...from, rotation: f < 1 ? from.rotation + by * f : rotation }))
  }

  /** Moves the map along a path of views, which goes from 0 to 1. */
  protected animate(ms: number, path: (f: number) => View): void {
    if (matchMedia('(prefers-reduced-motion: reduce)').matches) ms = 0
    const began = performance.now()
    this.motion = (now) => {
      const f = ms ? Math.max(0, Math.min(1, (now - began) / ms)) : 1
      this.setView(path(f < 1 ? 1 - (1 - f) ** 3 : 1))
      return f < 1
    }
    this.aim = new Camera(this.limit(path(1)), this.current.width, this.current.height)
    this.aimed(this.aim)
    this.invalidate()
  }

  protected halt(): void {
    this.motion = null
    this.arrive()
  }

  /** The map flies nowhere any longer. */
  protected arrive(): void {
    this.aim = null
    this.aimed(null)
  }

  protected glide(vx: number, vy: number): void {
    if (Math.hypot(vx, vy) < 60 || matchMedia('(prefers-reduced-motion: reduce)').matches) {
      this.settle()
      return
    }
    let last = performance.now()
    this.arrive()
    this.motion = (now) => {
      const dt = Math.max(0, Math.min(0.05, (now - last) / 1000))
      last = now
      this.pan(vx * dt, vy * dt)
      vx *= Math.exp(-FRICTION * dt)
      vy *= Math.exp(-FRICTION * dt)
      return Math.hypot(vx, vy) > 12
    }
    this.invalidate()
  }

  /** Flies to a position, rising on the way when it is far, so that one sees where one goes. */
  flyTo(to: LatLng & { zoom?: number; rotation?: number }): void {
    this.free()
    this.fly(to)
  }

  private fly(to: LatLng & { zoom?: number; rotation?: number }): void {
    const a = toWorld(this.view)
    const b = toWorld(to)
    let dx = b.x - a.x
    dx -= Math.round(dx)
    const dy = b.y - a.y
    const fromZoom = this.view.zoom
    const toZoom = Math.max(MIN_ZOOM, Math.min(MAX_ZOOM, Math.round((to.zoom ?? fromZoom) / ZOOM_STEP) * ZOOM_STEP))
    const fromTurn = this.view.rotation
    const turn = shortestTurn((to.rotation ?? fromTurn) - fromTurn)
    const screens = (Math.hypot(dx, dy) * TILE * 2 ** Math.min(fromZoom, toZoom)) / Math.max(200, this.current.width)
    const rise = Math.max(0, Math.log2(Math.max(1, screens)))
    this.animate(Math.min(1400, 260 + 220 * rise), (f) => {
      const centre = toLatLng({ x: a.x + dx * f, y: a.y + dy * f })
      return {
        ...centre,
        zoom: fromZoom + (toZoom - fromZoom) * f - rise * 4 * f * (1 - f) * 0.9,
        rotation: f < 1 ? fromTurn + turn * f : (to.rotation ?? fromTurn),
      }
    })
  }

  /** The view that shows all of some positions, clear of the padding. */
  fitView(points: LatLng[], most = 17): View | null {
    if (!points.length) return null
    const first = toWorld(points[0]!)
    let [west, east, north, south] = [0, 0, first.y, first.y]
    for (const p of points) {
      const w = toWorld(p)
      let dx = w.x - first.x
      dx -= Math.round(dx)
      west = Math.min(west, dx)
      east = Math.max(east, dx)
      north = Math.min(north, w.y)
      south = Math.max(south, w.y)
    }
    const pad = this.padding
    const width = Math.max(60, this.current.width - pad.left - pad.right)
    const height = Math.max(60, this.current.height - pad.top - pad.bottom)
    const zoom = Math.min(
      most,
      Math.log2(width / TILE / Math.max(1e-9, east - west)),
      Math.log2(height / TILE / Math.max(1e-9, south - north)),
    )
    const step = Math.max(MIN_ZOOM, Math.floor(zoom / ZOOM_STEP) * ZOOM_STEP)
    const size = TILE * 2 ** step
    const middle = {
      x: first.x + (west + east) / 2 + (pad.right - pad.left) / 2 / size,
      y: (north + south) / 2 + (pad.bottom - pad.top) / 2 / size,
    }
    return { ...toLatLng(middle), zoom: step, rotation: this.view.rotation }
  }

  fit(points: LatLng[], most?: number): void {
    const v = this.fitView(points, most)
    if (v) this.flyTo(v)
  }

  /** Shows so many metres across, in the middle of the view. */
  fitSpan(metres: number): void {
    const zoom = this.view.zoom + Math.log2((this.current.metresPerPixel * this.current.width) / metres)
    this.flyTo({ lat: this.view.lat, lng: this.view.lng, zoom: Math.floor(zoom / ZOOM_STEP) * ZOOM_STEP })
  }
}
