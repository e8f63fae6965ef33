// Points, lines, polygons, circles and texts from any bench: the one small way to draw something of one's own on the
// map.

import { toWorld, type Camera, type LatLng, type Spot } from '../chart/camera'
import type { Hit, Layer } from '../chart/chart'
import type { Palette } from '../chart/style'
import { destination } from '../chart/geodesic'

export type Figure =
  | { kind: 'point'; at: LatLng; size?: number }
  | { kind: 'line'; points: LatLng[] }
  | { kind: 'polygon'; rings: LatLng[][] }
  | { kind: 'circle'; at: LatLng; radiusM: number }
  | { kind: 'text'; at: LatLng; text: string; size?: number }

export interface Shape {
  id: string
  figure: Figure
  /** A colour of the palette by its name, or one of its own. */
  ink: string
  width?: number
  dash?: number[]
  /** How strongly areas are filled, 0 to 1; nothing without it. */
  fill?: number
  /** A figure that stands beside it: on a point, or in an area. */
  label?: string
  /** It answers clicks; an area may do so on its outline only, so that one reaches what lies within. */
  hit?: boolean | 'outline'
  /** It is dragged; called with where to. */
  drag?: (to: LatLng, at: Spot) => void
  dropped?: () => void
  /** Called when it is clicked. */
  clicked?: () => void
}

const STEPS = 72

export class Shapes implements Layer {
  shapes: Shape[] = []

  /**
   * Those that lie on the ground are under the names and kept with it, the others over everything and drawn with every
   * frame.
   */
  constructor(
    readonly order: number,
    private readonly onGround: boolean,
  ) {
    if (onGround) this.ground = (ctx, camera, palette) => this.drawAll(ctx, camera, palette)
    else this.draw = (ctx, camera, palette) => this.drawAll(ctx, camera, palette)
  }

  ground?: Layer['ground']
  draw?: Layer['draw']

  drawn(): boolean {
    return !this.onGround && this.shapes.length > 0
  }

  private drawAll(ctx: CanvasRenderingContext2D, camera: Camera, palette: Palette): void {
    for (const s of this.shapes) {
      ctx.save()
      ctx.strokeStyle = ctx.fillStyle = palette[s.ink] ?? s.ink
      ctx.lineWidth = s.width ?? 2
      ctx.lineJoin = ctx.lineCap = 'round'
      this.one(ctx, s, camera, palette)
      ctx.restore()
    }
  }

  private one(ctx: CanvasRenderingContext2D, s: Shape, camera: Camera, palette: Palette): void {
    const f = s.figure
    if (f.kind === 'text') {
      this.text(ctx, f.text, camera.toScreen(f.at), f.size ?? 14, palette)
      return
    }
    if (f.kind === 'point') {
      const p = camera.toScreen(f.at)
      const r = f.size ?? 7
      ctx.beginPath()
      ctx.arc(p.x, p.y, r, 0, 7)
      ctx.fillStyle = palette.card!
      ctx.fill()
      ctx.stroke()
      if (s.label) {
        ctx.fillStyle = palette.ink!
        ctx.font = "700 12px 'Alegreya Sans'"
        ctx.textAlign = 'center'
        ctx.textBaseline = 'middle'
        ctx.fillText(s.label, p.x, p.y + 0.5)
      }
      return
    }
    const rings = outlines(f, camera)
    ctx.beginPath()
    for (const ring of rings) trace(ctx, ring, f.kind !== 'line')
    if (s.fill && f.kind !== 'line') {
      ctx.globalAlpha = s.fill
      ctx.fill('evenodd')
      ctx.globalAlpha = 1
    }
    const line = ctx.strokeStyle
    ctx.strokeStyle = palette.paper!
    ctx.lineWidth = (s.width ?? 2) + 2.4
    ctx.globalAlpha = 0.75
    ctx.stroke()
    ctx.globalAlpha = 1
    ctx.strokeStyle = line
    ctx.lineWidth = s.width ?? 2
    if (s.dash) ctx.setLineDash(s.dash)
    ctx.stroke()
    ctx.setLineDash([])
    if (s.label && rings[0]?.length) {
      const ring = rings[0]
      const middle =
        f.kind === 'line'
          ? ring[ring.length >> 1]!
          : { x: ring.reduce((n, p) => n + p.x, 0) / ring.length, y: ring.reduce((n, p) => n + p.y, 0) / ring.length }
      this.text(ctx, s.label, middle, 14, palette)
    }
  }

  private text(ctx: CanvasRenderingContext2D, text: string, p: Spot, size: number, palette: Palette): void {
    ctx.font = `italic 500 ${size}px 'Alegreya'`
    ctx.textAlign = 'center'
    ctx.textBaseline = 'middle'
    ctx.strokeStyle = palette.paper!
    ctx.lineWidth = 4
    ctx.strokeText(text, p.x, p.y)
    ctx.fillStyle = palette.ink!
    ctx.fillText(text, p.x, p.y)
  }

  hit(at: Spot, camera: Camera, reach: number): Omit<Hit, 'layer'> | null {
    let best: Omit<Hit, 'layer'> | null = null
    for (const s of this.shapes) {
      if (!s.hit && !s.drag) continue
      const distance = this.distance(s.figure, at, camera, s.hit === 'outline')
      if (distance > reach || (best && distance > best.distance)) continue
      best = { id: s.id, distance }
      if (s.drag) best.drag = { move: s.drag, end: s.dropped ?? (() => {}) }
    }
    return best
  }

  /**
   * How far a pixel lies from a figure; what lies in an area is a little off it, so that what stands on it is hit
   * first.
   */
  private distance(f: Figure, at: Spot, camera: Camera, outline: boolean): number {
    if (f.kind === 'point' || f.kind === 'text') {
      const p = camera.toScreen(f.at)
      return Math.max(0, Math.hypot(p.x - at.x, p.y - at.y) - (f.size ?? 7))
    }
    let least = Infinity
    let inside = false
    for (const ring of outlines(f, camera))
      for (let i = f.kind === 'line' ? 1 : 0; i < ring.length; i++) {
        const [a, b] = [ring[(i + ring.length - 1) % ring.length]!, ring[i]!]
        const [dx, dy] = [b.x - a.x, b.y - a.y]
        const k = Math.max(0, Math.min(1, ((at.x - a.x) * dx + (at.y - a.y) * dy) / Math.max(1e-9, dx * dx + dy * dy)))
        least = Math.min(least, Math.hypot(at.x - a.x - k * dx, at.y - a.y - k * dy))
        if (a.y > at.y !== b.y > at.y && at.x < a.x + ((at.y - a.y) / dy) * dx) inside = !inside
      }
    return inside && f.kind !== 'line' && !outline ? Math.min(least, 3) : least
  }
}

function outlines(f: Exclude<Figure, { kind: 'point' | 'text' }>, camera: Camera): Spot[][] {
  if (f.kind === 'line') return [onScreen(f.points, camera)]
  if (f.kind === 'polygon') return f.rings.map((r) => onScreen(r, camera))
  return [Array.from({ length: STEPS }, (_, i) => camera.toScreen(destination(f.at, (i * 360) / STEPS, f.radiusM)))]
}

/**
 * Where lines run on the unit square of the world, x, y, x, y …, unrolled over the antimeridian, and their box: worked
 * out once.
 */
const worlds = new WeakMap<LatLng[], { xy: Float64Array; box: [number, number, number, number] }>()

function worldOf(points: LatLng[]) {
  let known = worlds.get(points)
  if (!known) {
    const xy = new Float64Array(points.length * 2)
    const box: [number, number, number, number] = [Infinity, Infinity, -Infinity, -Infinity]
    let before = NaN
    points.forEach((p, i) => {
      const w = toWorld(p)
      if (i) w.x += Math.round(before - w.x)
      before = w.x
      xy[2 * i] = w.x
      xy[2 * i + 1] = w.y
      box[0] = Math.min(box[0], w.x)
      box[1] = Math.min(box[1], w.y)
      box[2] = Math.max(box[2], w.x)
      box[3] = Math.max(box[3], w.y)
    })
    worlds.set(points, (known = { xy, box }))
  }
  return known
}

/**
 * A line on the screen, without positions that lie nearer than half a pixel to the one before; empty where none of it
 * is near the screen.
 */
function onScreen(points: LatLng[], camera: Camera): Spot[] {
  if (!points.length) return []
  const { xy, box } = worldOf(points)
  const turn = Math.round(camera.centre.x - (box[0] + box[2]) / 2)
  const reach = (Math.hypot(camera.width, camera.height) / 2 + 20) / camera.size
  if (
    box[0] + turn > camera.centre.x + reach ||
    box[2] + turn < camera.centre.x - reach ||
    box[1] > camera.centre.y + reach ||
    box[3] < camera.centre.y - reach
  )
    return []
  const angle = (-camera.view.rotation * Math.PI) / 180
  const [c, s] = [Math.cos(angle) * camera.size, Math.sin(angle) * camera.size]
  const out: Spot[] = []
  let [lastX, lastY] = [Infinity, Infinity]
  for (let i = 0; i < points.length; i++) {
    const [dx, dy] = [xy[2 * i]! + turn - camera.centre.x, xy[2 * i + 1]! - camera.centre.y]
    const [x, y] = [dx * c - dy * s + camera.width / 2, dx * s + dy * c + camera.height / 2]
    if (i < points.length - 1 && Math.abs(x - lastX) < 0.5 && Math.abs(y - lastY) < 0.5) continue
    out.push({ x, y })
    lastX = x
    lastY = y
  }
  return out
}

function trace(ctx: CanvasRenderingContext2D, points: Spot[], closed: boolean): void {
  points.forEach((p, i) => (i ? ctx.lineTo(p.x, p.y) : ctx.moveTo(p.x, p.y)))
  if (closed) ctx.closePath()
}
