// People of the party: each a ranging rod, banded as surveyors' are, with a flag of initials; its foot is where he is.
// The flag of one who has not been heard of for a while hangs down and is empty.

import { destination } from '../chart/geodesic'
import type { Camera, LatLng, Spot } from '../chart/camera'
import type { Hit, Layer } from '../chart/chart'
import type { Palette } from '../chart/style'

export interface Rod {
  id: string
  at: LatLng
  letters: string
  name: string
  /** The palette's name of his colour. */
  ink: string
  stale: boolean
  selected: boolean
  accuracyM: number
  headingDeg: number | null
  picture?: CanvasImageSource
}

const POLE = 34
const FLAG = { width: 27, height: 18 }
const BANDS = 4
const GLIDE_MS = 900
/** More than so many move from place to place without a glide. */
const MOST_GLIDING = 100
const STEPS = 40
const FONT = "'Alegreya Sans'"

interface Shown {
  from: LatLng
  to: LatLng
  began: number
}

export class People implements Layer {
  readonly order = 55
  private rods: Rod[] = []
  private readonly shown = new Map<string, Shown>()
  /** Whoever wants less motion has none. */
  glides = true

  set list(rods: Rod[]) {
    const now = performance.now()
    const there = new Set(rods.map((r) => r.id))
    for (const id of this.shown.keys()) if (!there.has(id)) this.shown.delete(id)
    const many = rods.length > MOST_GLIDING || !this.glides
    for (const r of rods) {
      const before = this.shown.get(r.id)
      if (!before || many) this.shown.set(r.id, { from: r.at, to: r.at, began: now })
      else if (before.to.lat !== r.at.lat || before.to.lng !== r.at.lng)
        this.shown.set(r.id, { from: this.where(before, now), to: r.at, began: now })
    }
    this.rods = [...rods].sort(
      (a, b) => Number(a.selected) - Number(b.selected) || b.at.lat - a.at.lat || (a.id < b.id ? -1 : 1),
    )
  }

  private where(s: Shown, now: number): LatLng {
    const f = Math.min(1, (now - s.began) / GLIDE_MS)
    if (f >= 1) return s.to
    const lng = ((s.to.lng - s.from.lng + 540) % 360) - 180
    return { lat: s.from.lat + f * (s.to.lat - s.from.lat), lng: s.from.lng + f * lng }
  }

  drawn(): boolean {
    return this.rods.length > 0
  }

  moves(now: number): boolean {
    for (const s of this.shown.values()) if (now - s.began < GLIDE_MS && s.from !== s.to) return true
    return false
  }

  looks(camera: Camera): string {
    const signs = this.rods.map((r) => {
      const p = this.foot(r, camera)
      const flags = [r.stale, r.selected, !!r.picture].map(Number).join('')
      const at = `${Math.round(p.x * 2)} ${Math.round(p.y * 2)}`
      return `${at} ${Math.round(r.headingDeg ?? -1)} ${r.accuracyM} ${flags} ${r.name}`
    })
    return `${camera.view.rotation} ${camera.metresPerPixel} ${signs.join()}`
  }

  private foot(r: Rod, camera: Camera): Spot {
    return camera.toScreen(this.where(this.shown.get(r.id)!, performance.now()))
  }

  draw(ctx: CanvasRenderingContext2D, camera: Camera, palette: Palette): void {
    ctx.save()
    ctx.lineJoin = ctx.lineCap = 'round'
    const taken: Spot[] = []
    const inView = this.rods
      .map((rod) => ({ rod, p: this.foot(rod, camera) }))
      .filter(({ p }) => p.x > -40 && p.y > -20 && p.x < camera.width + 40 && p.y < camera.height + 60)
    // Where rods stand close together, those in front have their flags out.
    const flagged = new Set<Rod>()
    for (const { rod, p } of [...inView].reverse()) {
      if (!rod.selected && taken.some((q) => Math.abs(q.x - p.x) < FLAG.width && Math.abs(q.y - p.y) < FLAG.height))
        continue
      taken.push(p)
      flagged.add(rod)
    }
    for (const { rod, p } of inView) {
      if (rod.selected) this.accuracy(ctx, camera, palette, rod)
      this.rod(ctx, palette, rod, p, flagged.has(rod), camera.view.rotation)
    }
    ctx.restore()
  }

  private accuracy(ctx: CanvasRenderingContext2D, camera: Camera, palette: Palette, r: Rod): void {
    if (r.accuracyM / camera.metresPerPixel < 8) return
    const at = this.where(this.shown.get(r.id)!, performance.now())
    ctx.beginPath()
    for (let i = 0; i < STEPS; i++) {
      const s = camera.toScreen(destination(at, (i * 360) / STEPS, r.accuracyM))
      if (i) ctx.lineTo(s.x, s.y)
      else ctx.moveTo(s.x, s.y)
    }
    ctx.closePath()
    ctx.setLineDash([5, 4])
    ctx.strokeStyle = palette[r.ink]!
    ctx.lineWidth = 1.4
    ctx.stroke()
    ctx.setLineDash([])
  }

  private rod(
    ctx: CanvasRenderingContext2D,
    palette: Palette,
    r: Rod,
    p: Spot,
    flagged: boolean,
    rotation: number,
  ): void {
    const ink = r.stale ? palette.slate! : palette[r.ink]!
    if (r.headingDeg !== null && !r.stale) {
      const a = ((r.headingDeg - rotation) * Math.PI) / 180
      const tip = { x: p.x + 17 * Math.sin(a), y: p.y - 17 * Math.cos(a) }
      ctx.beginPath()
      ctx.moveTo(p.x + 6 * Math.sin(a), p.y - 6 * Math.cos(a))
      ctx.lineTo(tip.x, tip.y)
      for (const side of [-1, 1]) {
        ctx.moveTo(tip.x, tip.y)
        ctx.lineTo(tip.x - 6 * Math.sin(a + side * 0.55), tip.y + 6 * Math.cos(a + side * 0.55))
      }
      this.twice(ctx, palette, ink, 1.8)
    }
    // The pole, banded in paper and ink, on a small foot.
    ctx.lineCap = 'butt'
    ctx.strokeStyle = palette.paper!
    ctx.lineWidth = 6.5
    line(ctx, p.x, p.y, p.x, p.y - POLE - 1.5)
    ctx.strokeStyle = palette.ink!
    ctx.lineWidth = 4.4
    line(ctx, p.x, p.y, p.x, p.y - POLE - 0.5)
    for (let i = 0; i < BANDS; i++) {
      ctx.strokeStyle = i % 2 ? palette.card! : ink
      ctx.lineWidth = 2.6
      line(ctx, p.x, p.y - (i * POLE) / BANDS, p.x, p.y - ((i + 1) * POLE) / BANDS)
    }
    ctx.lineCap = 'round'
    ctx.beginPath()
    ctx.ellipse(p.x, p.y, 5.5, 2.6, 0, 0, 7)
    this.twice(ctx, palette, r.selected ? palette.ink! : ink, r.selected ? 2.4 : 1.6)
    if (flagged) this.flag(ctx, palette, r, p, ink)
    if (r.selected) this.write(ctx, palette, r.name, p.x, p.y + 15, 14, palette.ink!)
  }

  private flag(ctx: CanvasRenderingContext2D, palette: Palette, r: Rod, p: Spot, ink: string): void {
    const top = p.y - POLE
    const [w, h] = [FLAG.width, FLAG.height]
    ctx.beginPath()
    if (r.stale) {
      // It hangs along the pole.
      ctx.moveTo(p.x + 2, top)
      ctx.lineTo(p.x + 19, top + 5)
      ctx.lineTo(p.x + 22, top + 25)
      ctx.lineTo(p.x + 13, top + 21)
      ctx.lineTo(p.x + 5, top + 26)
      ctx.lineTo(p.x + 2, top + h)
    } else {
      ctx.moveTo(p.x + 2, top)
      ctx.lineTo(p.x + 2 + w, top + 1)
      ctx.lineTo(p.x + 2 + w - 5, top + h / 2)
      ctx.lineTo(p.x + 2 + w, top + h - 1)
      ctx.lineTo(p.x + 2, top + h)
    }
    ctx.closePath()
    ctx.strokeStyle = palette.paper!
    ctx.lineWidth = 4
    ctx.stroke()
    ctx.fillStyle = r.stale ? palette.paper! : ink
    ctx.fill()
    if (r.picture && !r.stale) {
      ctx.save()
      ctx.clip()
      ctx.drawImage(r.picture, p.x + 2, top, w, h)
      ctx.restore()
    }
    ctx.strokeStyle = r.selected ? palette.ink! : ink
    ctx.lineWidth = r.selected ? 2.2 : 1.3
    ctx.stroke()
    if (r.picture && !r.stale) return
    ctx.font = `700 ${r.stale ? 12 : 13}px ${FONT}`
    ctx.textAlign = 'center'
    ctx.textBaseline = 'middle'
    ctx.fillStyle = r.stale ? ink : palette.paper!
    ctx.fillText(r.letters, p.x + (r.stale ? 12 : 2 + (w - 4) / 2), top + (r.stale ? 13.5 : h / 2 + 0.5))
  }

  private twice(ctx: CanvasRenderingContext2D, palette: Palette, ink: string, width: number): void {
    ctx.strokeStyle = palette.paper!
    ctx.lineWidth = width + 2.6
    ctx.stroke()
    ctx.strokeStyle = ink
    ctx.lineWidth = width
    ctx.stroke()
  }

  private write(
    ctx: CanvasRenderingContext2D,
    palette: Palette,
    text: string,
    x: number,
    y: number,
    size: number,
    ink: string,
  ): void {
    ctx.font = `700 ${size}px ${FONT}`
    ctx.textAlign = 'center'
    ctx.textBaseline = 'middle'
    ctx.strokeStyle = palette.paper!
    ctx.lineWidth = 4
    ctx.strokeText(text, x, y)
    ctx.fillStyle = ink
    ctx.fillText(text, x, y)
  }

  hit(spot: Spot, camera: Camera, reach: number): Omit<Hit, 'layer'> | null {
    let best: Omit<Hit, 'layer'> | null = null
    for (const r of this.rods) {
      const p = this.foot(r, camera)
      const dx = Math.max(p.x - 4 - spot.x, 0, spot.x - (p.x + FLAG.width + 2))
      const dy = Math.max(p.y - POLE - spot.y, 0, spot.y - (p.y - POLE + FLAG.height))
      const px = Math.abs(spot.x - p.x) - 4
      const py = Math.max(p.y - POLE - spot.y, 0, spot.y - p.y)
      const distance = Math.max(0, Math.min(Math.hypot(dx, dy), Math.hypot(Math.max(0, px), py)))
      if (distance <= reach && distance <= (best?.distance ?? Infinity)) best = { id: r.id, distance }
    }
    return best
  }
}

function line(ctx: CanvasRenderingContext2D, x: number, y: number, x2: number, y2: number): void {
  ctx.beginPath()
  ctx.moveTo(x, y)
  ctx.lineTo(x2, y2)
  ctx.stroke()
}
