// Lettering of the ground: which names are shown, and where. Names do not collide, follow their streets, and stand upright.

import { Camera, type Spot } from './camera'
import { at, type GroundStyle, type LabelStyle } from './style'
import type { Lettering } from './worker'

interface Glyph {
  text: string
  at: Spot // world
  angle: number
}

interface Placed {
  style: LabelStyle
  size: number
  glyphs: Glyph[]
  mark?: string
}

/** The more important classes first. */
const ORDER = ['locality', 'peak', 'water', 'primary', 'trunk', 'secondary', 'tertiary', 'river', 'square', 'park', 'street', 'pedestrian', 'service', 'point', 'building', 'housenumber']

/** How far from each other, in pixels, the same name may stand again. */
const REPEAT = 320

export class Labels {
  private placed: Placed[] = []
  private zoom = NaN
  private rotation = NaN

  constructor(private style: GroundStyle) {}

  /** Whether the layout was made for another zoom or turn. */
  isStale(camera: Camera): boolean {
    return Math.abs(camera.view.zoom - this.zoom) > 0.05 || camera.view.rotation !== this.rotation
  }

  /** Lays the names out anew, clear of some boxes (left, top, right, bottom). */
  layout(ctx: CanvasRenderingContext2D, camera: Camera, all: Lettering[], obstacles: number[][]): void {
    this.zoom = camera.view.zoom
    this.rotation = camera.view.rotation
    this.placed = []
    const boxes = new Boxes()
    for (const o of obstacles) boxes.add([o])
    const names = new Map<string, Spot[]>()
    const done = new Set<number>()
    const order = new Map(ORDER.map((c, i) => [c, i]))
    const sorted = [...all].sort(
      (a, b) => order.get(a.class)! - order.get(b.class)! || b.rank - a.rank || b.points.length - a.points.length || a.id - b.id,
    )
    for (const l of sorted) {
      const style = this.style.labels[l.class]!
      if (camera.view.zoom < (style.from ?? 0) || (!l.line && done.has(l.id))) continue
      const size = at(style.size, camera.view.zoom) * (style['by-rank'] ? { 4: 1.45, 3: 1.2, 2: 0.9, 1: 0.78 }[l.rank - 200]! : 1)
      ctx.font = style.font.replace('{}', String(size))
      ctx.letterSpacing = `${(style.spacing ?? 0) * size}px`
      // A locality steps aside for what stands on it; every other name gives way.
      const shifts = l.class === 'locality' ? [0, -size * 1.5, size * 1.5] : [0]
      const glyphs = l.line ? along(ctx, camera, l, size) : shifts.map((dy) => flat(ctx, camera, l, size, style, dy)).find((g) => boxes.free(g.boxes))
      if (!glyphs) continue
      const middle = camera.worldToScreen(glyphs.glyphs[glyphs.glyphs.length >> 1]!.at)
      const others = names.get(l.name) ?? []
      if (l.class !== 'housenumber' && others.some((o) => Math.hypot(o.x - middle.x, o.y - middle.y) < REPEAT)) continue
      if (!boxes.add(glyphs.boxes)) continue
      done.add(l.id)
      names.set(l.name, [...others, middle])
      this.placed.push({ style, size, glyphs: glyphs.glyphs, mark: style.mark })
    }
  }

  draw(ctx: CanvasRenderingContext2D, camera: Camera, palette: Record<string, string>): void {
    ctx.save()
    ctx.textAlign = 'center'
    ctx.textBaseline = 'middle'
    ctx.lineJoin = 'round'
    for (const p of this.placed) {
      ctx.font = p.style.font.replace('{}', String(p.size))
      ctx.letterSpacing = `${(p.style.spacing ?? 0) * p.size}px`
      ctx.fillStyle = palette[p.style.ink]!
      ctx.strokeStyle = palette.halo!
      ctx.lineWidth = 3
      for (const pass of ['stroke', 'fill'] as const) {
        for (const g of p.glyphs) {
          const s = camera.worldToScreen(g.at)
          if (s.x < -200 || s.y < -60 || s.x > camera.width + 200 || s.y > camera.height + 60) continue
          if (p.mark === 'peak' && pass === 'fill') {
            ctx.beginPath()
            ctx.moveTo(s.x - 4.5, s.y + 3)
            ctx.lineTo(s.x, s.y - 4.5)
            ctx.lineTo(s.x + 4.5, s.y + 3)
            ctx.closePath()
            ctx.fill()
          }
          const y = p.mark ? p.size * 0.95 : 0
          if (g.angle) {
            ctx.save()
            ctx.translate(s.x, s.y)
            ctx.rotate(g.angle)
            if (pass === 'stroke') ctx.strokeText(g.text, 0, 0)
            else ctx.fillText(g.text, 0, 0)
            ctx.restore()
          } else if (pass === 'stroke') ctx.strokeText(g.text, s.x, s.y + y)
          else ctx.fillText(g.text, s.x, s.y + y)
        }
      }
    }
    ctx.restore()
  }
}

interface Lettered {
  glyphs: Glyph[]
  boxes: number[][]
}

function flat(ctx: CanvasRenderingContext2D, camera: Camera, l: Lettering, size: number, style: LabelStyle, dy: number): Lettered {
  const on = camera.worldToScreen({ x: l.points[0]!, y: l.points[1]! })
  const s = { x: on.x, y: on.y + dy }
  const world = camera.screenToWorld(s)
  const half = ctx.measureText(l.name).width / 2 + 3
  const y = s.y + (style.mark ? size * 0.95 : 0)
  return { glyphs: [{ text: l.name, at: world, angle: 0 }], boxes: [[s.x - half, y - size * 0.6, s.x + half, y + size * 0.6]] }
}

/** Sets a name along the middle of a line, letter by letter; undefined where it does not fit or bends too much. */
function along(ctx: CanvasRenderingContext2D, camera: Camera, l: Lettering, size: number): Lettered | undefined {
  const line: Spot[] = []
  for (let i = 0; i < l.points.length; i += 2) line.push(camera.worldToScreen({ x: l.points[i]!, y: l.points[i + 1]! }))
  const lengths = [0]
  for (let i = 1; i < line.length; i++) lengths.push(lengths[i - 1]! + Math.hypot(line[i]!.x - line[i - 1]!.x, line[i]!.y - line[i - 1]!.y))
  const total = lengths[lengths.length - 1]!
  const letters = [...l.name]
  const widths = letters.map((c) => ctx.measureText(c).width)
  const width = widths.reduce((a, b) => a + b, 0)
  if (total < width + 12) return undefined
  const point = (d: number): { x: number; y: number; angle: number } => {
    let i = 1
    while (i < lengths.length - 1 && lengths[i]! < d) i++
    const a = line[i - 1]!
    const b = line[i]!
    const f = (d - lengths[i - 1]!) / Math.max(1e-6, lengths[i]! - lengths[i - 1]!)
    return { x: a.x + (b.x - a.x) * f, y: a.y + (b.y - a.y) * f, angle: Math.atan2(b.y - a.y, b.x - a.x) }
  }
  const start = (total - width) / 2
  const first = point(start)
  const last = point(start + width)
  const backwards = last.x < first.x
  const out: Lettered = { glyphs: [], boxes: [] }
  let before = NaN
  let d = start
  for (let i = 0; i < letters.length; i++) {
    const p = point(backwards ? total - d - widths[i]! / 2 : d + widths[i]! / 2)
    const angle = backwards ? p.angle + Math.PI : p.angle
    const turn = Math.abs(Math.atan2(Math.sin(angle - before), Math.cos(angle - before)))
    if (turn > 0.6) return undefined
    before = angle
    d += widths[i]!
    out.glyphs.push({ text: letters[i]!, at: camera.screenToWorld(p), angle: Math.atan2(Math.sin(angle), Math.cos(angle)) || 1e-9 })
    const half = Math.max(widths[i]!, size) / 2
    out.boxes.push([p.x - half, p.y - half, p.x + half, p.y + half])
  }
  return out
}

/** Boxes that may not overlap, found again through a grid. */
class Boxes {
  private cells = new Map<string, number[][]>()

  free(boxes: number[][]): boolean {
    for (const b of boxes) for (const key of this.keys(b)) for (const o of this.cells.get(key) ?? []) if (b[0]! < o[2]! && o[0]! < b[2]! && b[1]! < o[3]! && o[1]! < b[3]!) return false
    return true
  }

  add(boxes: number[][]): boolean {
    if (!this.free(boxes)) return false
    for (const b of boxes)
      for (const key of this.keys(b)) {
        const cell = this.cells.get(key)
        if (cell) cell.push(b)
        else this.cells.set(key, [b])
      }
    return true
  }

  private *keys(b: number[]): Generator<string> {
    for (let x = Math.floor(b[0]! / 64); x <= Math.floor(b[2]! / 64); x++) for (let y = Math.floor(b[1]! / 64); y <= Math.floor(b[3]! / 64); y++) yield `${x},${y}`
  }
}
