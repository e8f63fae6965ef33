// Places as milestones: a block with parallel sides, a rounded head and a foot as wide as the head, the category's glyph on it.

import glyphs from '@style/glyphs.json'
import type { Camera, LatLng, Spot } from '../chart/camera'
import type { Hit, Layer } from '../chart/chart'
import type { Palette } from '../chart/style'

export interface Stone {
  id: string
  at: LatLng
  name: string
  glyph: string
  colour: string
  /** Outside the ring: drawn faint. */
  faint: boolean
  selected: boolean
  /** In edit: may be dragged, and where it stood is shown. */
  editable: boolean
  was?: LatLng
}

const WIDTH = 20
const HEIGHT = 27

function outline(ctx: CanvasRenderingContext2D, x: number, y: number, scale: number): void {
  const r = (WIDTH / 2) * scale
  ctx.beginPath()
  ctx.moveTo(x - r, y)
  ctx.lineTo(x - r, y - HEIGHT * scale + r)
  ctx.arc(x, y - HEIGHT * scale + r, r, Math.PI, 0)
  ctx.lineTo(x + r, y)
  ctx.closePath()
}

export class Stones implements Layer {
  readonly order = 50
  stones: Stone[] = []
  hovered: string | null = null
  private paths = new Map<string, Path2D>()

  constructor(private moved: (id: string, to: LatLng) => void) {}

  draw(ctx: CanvasRenderingContext2D, camera: Camera, palette: Palette): void {
    const shown = this.stones
      .map((s) => ({ s, p: camera.toScreen(s.at) }))
      .filter(({ p }) => p.x > -40 && p.y > -10 && p.x < camera.width + 40 && p.y < camera.height + 50)
      .sort((a, b) => Number(a.s.selected) - Number(b.s.selected) || Number(b.s.faint) - Number(a.s.faint) || a.p.y - b.p.y)
    for (const { s, p } of shown) {
      if (s.was) this.ghost(ctx, camera.toScreen(s.was), p, palette)
      this.stone(ctx, s, p, palette)
    }
    // Names beside the stones in hand: the selected one and the one pointed at.
    for (const { s, p } of shown) if (s.selected || s.id === this.hovered) this.label(ctx, s, p, camera, palette)
  }

  private stone(ctx: CanvasRenderingContext2D, s: Stone, p: Spot, palette: Palette): void {
    const scale = s.selected ? 1.3 : 1
    ctx.save()
    ctx.globalAlpha = s.faint && !s.selected ? 0.45 : 1
    ctx.lineJoin = 'round'
    outline(ctx, p.x, p.y, scale)
    ctx.fillStyle = s.selected ? palette.ink! : palette.card!
    ctx.fill()
    ctx.strokeStyle = s.selected ? palette.paper! : palette.ink!
    ctx.lineWidth = s.selected ? 2.4 : 1.3
    ctx.stroke()
    if (!s.selected) {
      ctx.beginPath() // the foot is dressed in the category's colour
      ctx.rect(p.x - WIDTH / 2 + 0.7, p.y - 4.6, WIDTH - 1.4, 4)
      ctx.fillStyle = s.colour
      ctx.fill()
    }
    let path = this.paths.get(s.glyph)
    if (!path) this.paths.set(s.glyph, (path = new Path2D((glyphs as Record<string, string>)[s.glyph] ?? glyphs.stone)))
    const k = 0.62 * scale
    ctx.translate(p.x - 12 * k, p.y - (HEIGHT - 2.4) * scale)
    ctx.scale(k, k)
    ctx.strokeStyle = s.selected ? palette.paper! : palette.ink!
    ctx.lineWidth = 2
    ctx.lineCap = 'round'
    ctx.stroke(path)
    ctx.restore()
  }

  /** Where a stone stood before it was moved, joined to where it stands. */
  private ghost(ctx: CanvasRenderingContext2D, was: Spot, now: Spot, palette: Palette): void {
    ctx.save()
    ctx.strokeStyle = palette.madder!
    ctx.lineWidth = 1.4
    ctx.setLineDash([3, 3])
    outline(ctx, was.x, was.y, 1)
    ctx.moveTo(was.x, was.y)
    ctx.lineTo(now.x, now.y)
    ctx.stroke()
    ctx.restore()
  }

  private label(ctx: CanvasRenderingContext2D, s: Stone, p: Spot, camera: Camera, palette: Palette): void {
    ctx.save()
    ctx.font = "500 15px 'Alegreya Sans'"
    ctx.textBaseline = 'middle'
    const width = ctx.measureText(s.name).width
    const left = p.x + 24 + width > camera.width
    const x = left ? p.x - 22 - width : p.x + 22
    const y = p.y - HEIGHT * (s.selected ? 1.3 : 1) - 8
    ctx.beginPath()
    ctx.moveTo(p.x, p.y - HEIGHT * (s.selected ? 1.15 : 0.85))
    ctx.lineTo(left ? x + width + 3 : x - 3, y + 9)
    ctx.lineTo(left ? x : x + width, y + 9)
    ctx.strokeStyle = palette.paper!
    ctx.lineWidth = 4
    ctx.stroke()
    ctx.strokeStyle = palette.ink!
    ctx.lineWidth = 1.2
    ctx.stroke()
    ctx.lineJoin = 'round'
    ctx.strokeStyle = palette.paper!
    ctx.lineWidth = 4
    ctx.strokeText(s.name, x, y)
    ctx.fillStyle = palette.ink!
    ctx.fillText(s.name, x, y)
    ctx.restore()
  }

  hit(at: Spot, camera: Camera, reach: number): Omit<Hit, 'layer'> | null {
    let best: Omit<Hit, 'layer'> | null = null
    for (const s of this.stones) {
      const p = camera.toScreen(s.at)
      const scale = s.selected ? 1.3 : 1
      const dx = Math.max(0, Math.abs(at.x - p.x) - (WIDTH / 2) * scale)
      const dy = Math.max(0, p.y - HEIGHT * scale - at.y, at.y - p.y)
      const distance = Math.hypot(dx, dy)
      if (distance > reach || (best && distance > best.distance) || (best && distance === best.distance && !s.selected)) continue
      best = { id: s.id, distance }
      if (s.editable) best.drag = { move: (to) => this.moved(s.id, to), end: () => {} }
    }
    return best
  }
}
