// Lettering of the ground: which names are shown, and where. Names do not collide, follow their streets, stand upright,
// and stay where they are while the map moves and zooms, as long as there is room for them.

import { Camera, shortestTurn, type Spot } from './camera'
import { joined } from './joined'
import type { Painting } from './kept'
import { at, type GroundStyle, type LabelStyle, type Manner } from './style'
import type { Lettering } from './lettering'

interface Glyph {
  text: string
  at: Spot // world
  angle: number
}

export interface Placed {
  key: string
  style: LabelStyle
  size: number
  glyphs: Glyph[]
  /** The middle of the name, on the unit square of the world. */
  middle: Spot
  mark?: string
}

/** The more important classes first. */
const ORDER = [
  'locality',
  'peak',
  'water',
  'motorway',
  'trunk',
  'primary',
  'secondary',
  'tertiary',
  'river',
  'square',
  'park',
  'ferry',
  'street',
  'pedestrian',
  'cycleway',
  'point',
  'building',
  'service',
  'path',
  'steps',
  'pier',
  'orchard',
  'contour',
  'housenumber',
]
const PLACE = new Map(ORDER.map((c, i) => [c, i]))

/** How far from each other, in pixels, the same name may stand again. */
const REPEAT = 320
/** The step of the turns at which letters are drawn: three degrees. */
const TURN = Math.PI / 60
/** Names are laid out so far beyond the screen, in pixels, that they are there when the map is moved. */
const BEYOND = 220

export class Labels {
  placed: readonly Placed[] = []
  private tiles: object[] = []
  private sorted: Lettering[] = []
  private zoom = NaN
  private rotation = NaN
  private centre: Spot = { x: NaN, y: NaN }
  private larger = 1
  private halo = 3
  private widths = new Map<string, Map<string, number>>()

  constructor(private style: GroundStyle) {}

  setLook(manner: Manner, larger: number): void {
    this.halo = (manner.halo ?? 3) * Math.sqrt(larger)
    this.larger = larger
  }

  /**
   * Whether the layout was made for another zoom or turn, or the map has been moved to its edge; while the map is
   * turning, for quite another one.
   */
  isStale(camera: Camera, turning: boolean): boolean {
    const turned = Math.abs(shortestTurn(camera.view.rotation - this.rotation))
    return (
      !(Math.abs(camera.view.zoom - this.zoom) <= (turning ? 0.6 : 0.12)) ||
      turned > (turning ? 30 : 0) ||
      Math.hypot(camera.centre.x - this.centre.x, camera.centre.y - this.centre.y) * camera.size >
        BEYOND * (turning ? 1 : 0.35)
    )
  }

  private width(ctx: CanvasRenderingContext2D, font: string, text: string): number {
    let known = this.widths.get(font)
    if (!known) {
      if (this.widths.size > 60) this.widths.clear()
      this.widths.set(font, (known = new Map()))
    }
    let w = known.get(text)
    if (w === undefined) {
      ctx.font = font
      known.set(text, (w = ctx.measureText(text).width))
    }
    return w
  }

  /** Forgets what was measured, when fonts have come. */
  forget(): void {
    this.widths.clear()
  }

  /**
   * Lays the names of some tiles out anew, clear of some boxes (left, top, right, bottom); until it is done the layout
   * before stays.
   */
  *layout(
    ctx: CanvasRenderingContext2D,
    camera: Camera,
    tiles: { lettering: Lettering[] }[],
    obstacles: number[][],
  ): Painting {
    if (tiles.length !== this.tiles.length || tiles.some((t, i) => t.lettering !== this.tiles[i])) {
      const all = yield* joined(tiles.flatMap((t) => t.lettering))
      this.tiles = tiles.map((t) => t.lettering)
      this.sorted = all.sort(
        (a, b) =>
          PLACE.get(a.class)! - PLACE.get(b.class)! ||
          b.rank - a.rank ||
          b.points.length - a.points.length ||
          a.id - b.id,
      )
      yield
    }
    const before = new Map<string, Placed[]>()
    for (const p of this.placed) before.set(p.key, [...(before.get(p.key) ?? []), p])
    this.zoom = camera.view.zoom
    this.rotation = camera.view.rotation
    this.centre = camera.centre
    const placed: Placed[] = []
    const boxes = new Boxes()
    for (const o of obstacles) boxes.put(o)
    const names = new Map<string, Spot[]>()
    const done = new Set<string>()
    for (const l of this.sorted) {
      const style = this.style.labels[l.class]!
      if (camera.view.zoom < (style.from ?? 0)) continue
      const key = l.line ? `${l.class} ${l.name}` : `${l.id}`
      if (!l.line && done.has(key)) continue
      const size =
        at(style.size, camera.view.zoom) *
        this.larger *
        (style['by-rank'] ? { 4: 1.45, 3: 1.2, 2: 0.9, 1: 0.78 }[l.rank - 200]! : 1)
      const font = style.font.replace('{}', size.toFixed(1))
      const apart = (style.repeat ?? REPEAT) * this.larger
      const free = (middle: Spot) =>
        l.class === 'housenumber' ||
        !(names.get(l.name) ?? []).some((o) => Math.hypot(o.x - middle.x, o.y - middle.y) < apart)
      const olds = before.get(key) ?? []
      const candidates = l.line
        ? this.along(ctx, camera, l, font, size, olds, apart)
        : this.flat(ctx, camera, l, font, size, style, olds[0])
      for (const c of candidates) {
        const middle = camera.worldToScreen(c.middle)
        if (
          middle.x < -BEYOND ||
          middle.y < -BEYOND ||
          middle.x > camera.width + BEYOND ||
          middle.y > camera.height + BEYOND
        )
          continue
        if (!free(middle) || !boxes.add(c.boxes)) continue
        done.add(key)
        names.set(l.name, [...(names.get(l.name) ?? []), middle])
        placed.push({ key, style, size, glyphs: c.glyphs, middle: c.middle, mark: style.mark })
        if (!l.line) break
      }
      yield
    }
    this.placed = placed
  }

  /** Paints the names. */
  *paint(ctx: CanvasRenderingContext2D, camera: Camera, palette: Record<string, string>): Painting {
    ctx.save()
    const ratio = ctx.getTransform().a
    ctx.textAlign = 'center'
    ctx.textBaseline = 'middle'
    ctx.lineJoin = 'round'
    ctx.lineWidth = this.halo
    ctx.strokeStyle = palette.halo!
    for (const p of this.placed) {
      yield
      ctx.font = p.style.font.replace('{}', p.size.toFixed(1))
      ctx.letterSpacing = `${(p.style.spacing ?? 0) * p.size}px`
      ctx.fillStyle = palette[p.style.ink]!
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
          if (g.angle) {
            // Letters at few turns and places within a pixel: the browser keeps the masks of letters that it has drawn
            // before.
            const [x, y] = [Math.round(s.x * 2) / 2, Math.round(s.y * 2) / 2]
            const turn = Math.round(g.angle / TURN) * TURN
            const [sin, cos] = [ratio * Math.sin(turn), ratio * Math.cos(turn)]
            ctx.setTransform(cos, sin, -sin, cos, ratio * x, ratio * y)
            if (pass === 'stroke') ctx.strokeText(g.text, 0, 0)
            else ctx.fillText(g.text, 0, 0)
            ctx.setTransform(ratio, 0, 0, ratio, 0, 0)
            continue
          }
          const lines = g.text.split('\n')
          lines.forEach((text, i) => {
            const y = s.y + (p.mark ? p.size * 0.95 : 0) + (i - (p.mark ? 0 : (lines.length - 1) / 2)) * p.size * 1.05
            if (pass === 'stroke') ctx.strokeText(text, s.x, y)
            else ctx.fillText(text, s.x, y)
          })
        }
      }
    }
    ctx.restore()
  }

  private *flat(
    ctx: CanvasRenderingContext2D,
    camera: Camera,
    l: Lettering,
    font: string,
    size: number,
    style: LabelStyle,
    old?: Placed,
  ): Generator<Candidate> {
    const on = camera.worldToScreen({ x: l.points[0]!, y: l.points[1]! })
    const lines = l.name.split('\n')
    const spacing = (style.spacing ?? 0) * size
    const half = Math.max(...lines.map((t) => this.width(ctx, font, t) + spacing * t.length)) / 2 + 3
    // A locality steps aside for what stands on it; every other name gives way.
    const beside = half + size * 0.9
    const steps =
      l.class === 'locality'
        ? [
            [0, 0],
            [0, -1.3],
            [0, 1.3],
            [0, -2.4],
            [0, 2.4],
            [beside, -0.6],
            [-beside, -0.6],
            [0, -3.6],
            [0, 3.6],
          ].map(([x, k]) => [x!, k! * size] as const)
        : [[0, 0] as const]
    if (old) {
      const was = camera.worldToScreen(old.middle)
      const off = ([x, y]: readonly [number, number]) => Number(Math.hypot(x - was.x + on.x, y - was.y + on.y) < 4)
      steps.sort((a, b) => off(b) - off(a))
    }
    for (const [dx, dy] of steps) {
      const s = { x: on.x + dx, y: on.y + dy }
      const top = s.y + (style.mark ? size * 0.35 : -size * 0.55 * lines.length)
      const box = [s.x - half, style.mark ? s.y - 6 : top, s.x + half, top + size * 1.1 * lines.length]
      const world = camera.screenToWorld(s)
      yield { glyphs: [{ text: l.name, at: world, angle: 0 }], boxes: [box], middle: world }
    }
  }

  /**
   * Sets a name along a line, letter by letter: where it stood before, else in the middle and at equal distances from
   * it.
   */
  private *along(
    ctx: CanvasRenderingContext2D,
    camera: Camera,
    l: Lettering,
    font: string,
    size: number,
    olds: Placed[],
    apart: number,
  ): Generator<Candidate> {
    const line: Spot[] = []
    for (let i = 0; i < l.points.length; i += 2)
      line.push(camera.worldToScreen({ x: l.points[i]!, y: l.points[i + 1]! }))
    const lengths = [0]
    for (let i = 1; i < line.length; i++)
      lengths.push(lengths[i - 1]! + Math.hypot(line[i]!.x - line[i - 1]!.x, line[i]!.y - line[i - 1]!.y))
    const total = lengths[lengths.length - 1]!
    const letters = [...l.name]
    const widths = letters.map((c) => this.width(ctx, font, c))
    const width = widths.reduce((a, b) => a + b, 0)
    if (total < width + 10) return
    const seen = new Set<number>()
    const starts: number[] = []
    for (const o of olds) {
      const d = nearestOn(line, lengths, camera.worldToScreen(o.middle))
      if (d !== null && d - width / 2 >= 0 && d + width / 2 <= total) starts.push(d - width / 2)
    }
    const middle = (total - width) / 2
    for (let k = 0; ; k++) {
      const off = apart * 0.5 * k
      if (off > middle) break
      starts.push(middle + off, middle - off)
    }
    for (const start of starts) {
      const rounded = Math.round(start / 8)
      if (seen.has(rounded)) continue
      seen.add(rounded)
      const c = setAlong(camera, line, lengths, letters, widths, start, size)
      if (c) yield c
    }
  }
}

interface Candidate {
  glyphs: Glyph[]
  boxes: number[][]
  middle: Spot
}

/** How far along a line the point nearest to a spot lies, or null when it is more than some pixels off. */
function nearestOn(line: Spot[], lengths: number[], p: Spot): number | null {
  let best = 14
  let found: number | null = null
  for (let i = 1; i < line.length; i++) {
    const a = line[i - 1]!
    const b = line[i]!
    const [dx, dy] = [b.x - a.x, b.y - a.y]
    const f = Math.max(0, Math.min(1, ((p.x - a.x) * dx + (p.y - a.y) * dy) / Math.max(1e-9, dx * dx + dy * dy)))
    const d = Math.hypot(p.x - a.x - f * dx, p.y - a.y - f * dy)
    if (d < best) {
      best = d
      found = lengths[i - 1]! + f * (lengths[i]! - lengths[i - 1]!)
    }
  }
  return found
}

/** Undefined where the line bends too much for letters. */
function setAlong(
  camera: Camera,
  line: Spot[],
  lengths: number[],
  letters: string[],
  widths: number[],
  start: number,
  size: number,
): Candidate | undefined {
  const point = (d: number): { x: number; y: number; angle: number } => {
    let low = 1
    let high = lengths.length - 1
    while (low < high) {
      const mid = (low + high) >> 1
      if (lengths[mid]! < d) low = mid + 1
      else high = mid
    }
    const a = line[low - 1]!
    const b = line[low]!
    const f = (d - lengths[low - 1]!) / Math.max(1e-6, lengths[low]! - lengths[low - 1]!)
    return { x: a.x + (b.x - a.x) * f, y: a.y + (b.y - a.y) * f, angle: Math.atan2(b.y - a.y, b.x - a.x) }
  }
  const width = widths.reduce((a, b) => a + b, 0)
  const backwards = point(start + width).x < point(start).x
  const glyphs: Glyph[] = []
  const boxes: number[][] = []
  let before = NaN
  let d = backwards ? start + width : start
  for (let i = 0; i < letters.length; i++) {
    const p = point(backwards ? d - widths[i]! / 2 : d + widths[i]! / 2)
    const angle = backwards ? p.angle + Math.PI : p.angle
    if (Math.abs(Math.atan2(Math.sin(angle - before), Math.cos(angle - before))) > 0.5) return undefined
    before = angle
    d += backwards ? -widths[i]! : widths[i]!
    glyphs.push({
      text: letters[i]!,
      at: camera.screenToWorld(p),
      angle: Math.atan2(Math.sin(angle), Math.cos(angle)) || 1e-9,
    })
    const half = Math.max(widths[i]!, size) / 2
    boxes.push([p.x - half, p.y - half, p.x + half, p.y + half])
  }
  return { glyphs, boxes, middle: camera.screenToWorld(point(start + width / 2)) }
}

/** Boxes that may not overlap, found again through a grid. */
class Boxes {
  private cells = new Map<number, number[][]>()

  private free(boxes: number[][]): boolean {
    for (const b of boxes)
      for (const key of this.keys(b))
        for (const o of this.cells.get(key) ?? [])
          if (b[0]! < o[2]! && o[0]! < b[2]! && b[1]! < o[3]! && o[1]! < b[3]!) return false
    return true
  }

  /** Enters boxes; false, and nothing entered, where one of them is taken. */
  add(boxes: number[][]): boolean {
    if (!this.free(boxes)) return false
    for (const b of boxes) this.put(b)
    return true
  }

  /** Enters a box, whatever it lies on. */
  put(b: number[]): void {
    for (const key of this.keys(b)) {
      const cell = this.cells.get(key)
      if (cell) cell.push(b)
      else this.cells.set(key, [b])
    }
  }

  private *keys(b: number[]): Generator<number> {
    for (let x = Math.floor(b[0]! / 64); x <= Math.floor(b[2]! / 64); x++)
      for (let y = Math.floor(b[1]! / 64); y <= Math.floor(b[3]! / 64); y++) yield x * 100003 + y
  }
}
