// The standpoint's sighting mark and the range rose round it: the ring with its ticks, a bearing scale outside, and a
// handle on each edge of the ring.

import type { Camera, LatLng, Spot } from '../chart/camera'
import type { Hit, Layer } from '../chart/chart'
import type { Palette } from '../chart/style'
import { destination, distanceM } from '../chart/geodesic'

const STEPS = 96
const HANDLE_BEARING = 90
/** How the standpoint's name stands below its mark, in pixels. */
const NAME = { below: 25, size: 13.5 }
const MOST_LETTERS = 30
/** How many fainter rings there are at most, however near one looks at a ring half the earth wide. */
const MOST_RINGS = 40
const clipped = (name: string) => (name.length > MOST_LETTERS ? `${name.slice(0, MOST_LETTERS - 1)}…` : name)

const measuring = document.createElement('canvas').getContext('2d')!
function widthOf(text: string): number {
  measuring.font = `700 ${NAME.size}px 'Alegreya Sans'`
  return measuring.measureText(text).width
}

export class Rose implements Layer {
  readonly order = 40
  standpoint: LatLng | null = null
  accuracyM: number | undefined
  beyondM = 0
  withinM = 0
  /** What the standpoint is called; it stands below its mark. */
  name = ''
  /** The ring is drawn on the bench that asks by it. */
  ring = true
  /** It moves with the device: it is drawn with each frame, and the device's own mark stands in its middle. */
  live = false
  private cache = new Map<string, LatLng[]>()

  constructor(
    private pulled: (edge: 'beyond' | 'within', metres: number) => void,
    private released: () => void,
    /** A length as it is written. */
    private written: (metres: number) => string,
  ) {}

  ground(ctx: CanvasRenderingContext2D, camera: Camera, palette: Palette): void {
    if (!this.live) this.drawAll(ctx, camera, palette)
  }

  drawn(): boolean {
    return this.live && !!this.standpoint
  }

  draw(ctx: CanvasRenderingContext2D, camera: Camera, palette: Palette): void {
    this.drawAll(ctx, camera, palette)
  }

  private drawAll(ctx: CanvasRenderingContext2D, camera: Camera, palette: Palette): void {
    const at = this.standpoint
    if (!at) return
    const c = camera.toScreen(at)
    ctx.save()
    if (this.ring) this.drawRing(ctx, camera, palette, at, c)
    if (this.live) {
      ctx.restore()
      return
    }
    if (this.accuracyM) {
      this.circle(ctx, camera, at, this.accuracyM)
      ctx.setLineDash([5, 4])
      ctx.strokeStyle = palette.madder!
      ctx.lineWidth = 1.3
      ctx.stroke()
      ctx.setLineDash([])
    }
    for (const [colour, width] of [
      [palette.paper!, 4.5],
      [palette.madder!, 1.9],
    ] as const) {
      ctx.strokeStyle = colour
      ctx.lineWidth = width
      ctx.beginPath()
      ctx.arc(c.x, c.y, 8, 0, 7)
      for (const [dx, dy] of [
        [1, 0],
        [-1, 0],
        [0, 1],
        [0, -1],
      ] as const) {
        ctx.moveTo(c.x + 3 * dx, c.y + 3 * dy)
        ctx.lineTo(c.x + 15 * dx, c.y + 15 * dy)
      }
      ctx.stroke()
    }
    if (this.name)
      this.figure(ctx, { x: c.x, y: c.y + NAME.below }, clipped(this.name), palette, NAME.size, palette.madder!)
    ctx.restore()
  }

  private points(at: LatLng, m: number): LatLng[] {
    const key = `${at.lat},${at.lng},${m}`
    let points = this.cache.get(key)
    if (!points) {
      points = Array.from({ length: STEPS }, (_, i) => destination(at, (i * 360) / STEPS, m))
      if (this.cache.size > 40) this.cache.clear()
      this.cache.set(key, points)
    }
    return points
  }

  private circle(ctx: CanvasRenderingContext2D, camera: Camera, at: LatLng, m: number): void {
    ctx.beginPath()
    this.trace(ctx, camera, at, m)
  }

  private trace(ctx: CanvasRenderingContext2D, camera: Camera, at: LatLng, m: number): void {
    this.points(at, m).forEach((p, i) => {
      const s = camera.toScreen(p)
      if (i) ctx.lineTo(s.x, s.y)
      else ctx.moveTo(s.x, s.y)
    })
    ctx.closePath()
  }

  private drawRing(ctx: CanvasRenderingContext2D, camera: Camera, palette: Palette, at: LatLng, c: Spot): void {
    const ochre = palette.ochre!
    ctx.beginPath()
    this.trace(ctx, camera, at, this.withinM)
    if (this.beyondM > 0) this.trace(ctx, camera, at, this.beyondM)
    ctx.globalAlpha = 0.1
    ctx.fillStyle = ochre
    ctx.fill('evenodd')
    ctx.globalAlpha = 1
    const radius = this.radius(camera, at, c)
    ctx.lineWidth = 0.9
    ctx.strokeStyle = ochre
    ctx.setLineDash([2, 4])
    for (const m of this.between(radius)) {
      this.circle(ctx, camera, at, m)
      ctx.stroke()
      this.figure(ctx, camera.toScreen(destination(at, 0, m)), this.written(m), palette, 11.5, palette['ink-ochre']!)
    }
    ctx.setLineDash([])
    ctx.lineWidth = 1.8
    for (const m of this.beyondM > 0 ? [this.beyondM, this.withinM] : [this.withinM]) {
      this.circle(ctx, camera, at, m)
      ctx.stroke()
    }
    this.bearings(ctx, camera, palette, at, radius)
    this.handle(ctx, camera, palette, 'within')
    this.handle(ctx, camera, palette, 'beyond')
  }

  /** The ring's outer edge in pixels from the standpoint's. */
  private radius(camera: Camera, at: LatLng, c: Spot): number {
    const outer = camera.toScreen(destination(at, 90, this.withinM))
    return Math.hypot(outer.x - c.x, outer.y - c.y)
  }

  /** The distances of the fainter rings between the edges, in metres: round ones, and no more than some dozens. */
  private *between(radius: number): Generator<number> {
    const step =
      [10, 20, 50, 100, 200, 500, 1000, 2000, 5000, 1e4, 2e4, 5e4, 1e5, 2e5, 5e5, 1e6].find(
        (s) => (s / this.withinM) * radius > 46 && this.withinM / s <= MOST_RINGS,
      ) ?? 2e6
    for (let m = step; m < this.withinM * 0.97; m += step) if (m > this.beyondM) yield m
  }

  /** The scale of bearings outside the ring, finer the larger it is. */
  private bearings(ctx: CanvasRenderingContext2D, camera: Camera, palette: Palette, at: LatLng, radius: number): void {
    if (radius < 50) return
    const fine = radius > 180 ? 5 : 10
    ctx.strokeStyle = palette.ochre!
    for (let b = 0; b < 360; b += fine) {
      const s = camera.toScreen(destination(at, b, this.withinM))
      const c = camera.toScreen(at)
      const length = Math.max(1, Math.hypot(s.x - c.x, s.y - c.y))
      const [ux, uy] = [(s.x - c.x) / length, (s.y - c.y) / length]
      const long = b % 30 === 0 ? 9 : b % 10 === 0 ? 6 : 3
      ctx.lineWidth = b % 30 === 0 ? 1.5 : 0.9
      ctx.beginPath()
      ctx.moveTo(s.x, s.y)
      ctx.lineTo(s.x + ux * long, s.y + uy * long)
      ctx.stroke()
      if (b % (radius > 120 ? 30 : 90) === 0) {
        const text = { 0: 'N', 90: 'E', 180: 'S', 270: 'W' }[b] ?? String(b).padStart(3, '0')
        this.figure(ctx, { x: s.x + ux * 20, y: s.y + uy * 20 }, text, palette, b % 90 === 0 ? 15 : 12, palette.ink!)
      }
    }
  }

  private figure(
    ctx: CanvasRenderingContext2D,
    p: Spot,
    text: string,
    palette: Palette,
    size: number,
    colour: string,
  ): void {
    ctx.font = `${size > 13 ? 700 : 500} ${size}px 'Alegreya Sans'`
    ctx.textAlign = 'center'
    ctx.textBaseline = 'middle'
    ctx.lineJoin = 'round'
    const dash = ctx.getLineDash()
    const stroke = ctx.strokeStyle
    const width = ctx.lineWidth
    ctx.setLineDash([])
    ctx.strokeStyle = palette.paper!
    ctx.lineWidth = 3.5
    ctx.strokeText(text, p.x, p.y)
    ctx.fillStyle = colour
    ctx.fillText(text, p.x, p.y)
    ctx.setLineDash(dash)
    ctx.strokeStyle = stroke
    ctx.lineWidth = width
  }

  /** The handle of the inner edge lies in the middle while there is none. */
  private handleAt(camera: Camera, edge: 'within' | 'beyond'): Spot {
    const at = this.standpoint!
    const p = camera.toScreen(destination(at, HANDLE_BEARING, edge === 'within' ? this.withinM : this.beyondM))
    if (edge === 'within') return p
    const c = camera.toScreen(at)
    return { x: Math.max(p.x, c.x + 24), y: p.y }
  }

  private handle(ctx: CanvasRenderingContext2D, camera: Camera, palette: Palette, edge: 'within' | 'beyond'): void {
    const p = this.handleAt(camera, edge)
    const outer = this.handleAt(camera, 'within')
    if (edge === 'beyond' && outer.x - p.x < 26) return
    ctx.beginPath()
    ctx.rect(p.x - 5, p.y - 11, 10, 22)
    ctx.fillStyle = palette.card!
    ctx.fill()
    ctx.strokeStyle = palette.ochre!
    ctx.lineWidth = 1.8
    ctx.stroke()
    ctx.beginPath()
    for (const dx of [-1.6, 1.6]) {
      ctx.moveTo(p.x + dx, p.y - 6)
      ctx.lineTo(p.x + dx, p.y + 6)
    }
    ctx.lineWidth = 1
    ctx.stroke()
    const m = edge === 'within' ? this.withinM : this.beyondM
    if (m > 0)
      this.figure(
        ctx,
        { x: p.x + (edge === 'within' ? 36 : 0), y: p.y + (edge === 'within' ? 18 : 22) },
        this.written(m),
        palette,
        13.5,
        palette.ink!,
      )
  }

  obstacles(camera: Camera): number[][] {
    if (!this.standpoint) return []
    const c = camera.toScreen(this.standpoint)
    const boxes = [[c.x - 16, c.y - 16, c.x + 16, c.y + 16]]
    const box = (p: Spot, half: number) => boxes.push([p.x - half, p.y - 9, p.x + half, p.y + 9])
    if (this.name) box({ x: c.x, y: c.y + NAME.below }, widthOf(clipped(this.name)) / 2 + 4)
    if (!this.ring) return boxes
    for (const m of this.between(this.radius(camera, this.standpoint, c)))
      box(camera.toScreen(destination(this.standpoint, 0, m)), 20)
    for (const edge of this.beyondM > 0 ? (['within', 'beyond'] as const) : (['within'] as const)) {
      const p = this.handleAt(camera, edge)
      boxes.push([p.x - 7, p.y - 13, p.x + 7, p.y + 13])
      box({ x: p.x + (edge === 'within' ? 36 : 0), y: p.y + (edge === 'within' ? 18 : 22) }, 26)
    }
    return boxes
  }

  hit(spot: Spot, camera: Camera, reach: number): Omit<Hit, 'layer'> | null {
    if (!this.standpoint || !this.ring) return null
    for (const edge of ['within', 'beyond'] as const) {
      const p = this.handleAt(camera, edge)
      const distance = Math.hypot(Math.max(0, Math.abs(spot.x - p.x) - 5), Math.max(0, Math.abs(spot.y - p.y) - 11))
      if (distance <= reach) {
        return {
          id: edge,
          distance,
          drag: { move: (to) => this.pulled(edge, distanceM(this.standpoint!, to)), end: () => this.released() },
        }
      }
    }
    return null
  }
}
