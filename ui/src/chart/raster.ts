// Draws the ground of one tile: everything but labels and stones. Runs in a worker.

import { EXTENT, Flag, Shape, levelOf, type Feature, type Layer } from './decode'
import { patternOf } from './patterns'
import { drawShade, drawTint, type Heights } from './relief'
import type { Rgb, Sheet } from './sheet'
import {
  at,
  channels,
  type AreaStyle,
  type GroundStyle,
  type LineStyle,
  type Manner,
  type Palette,
  type Time,
} from './style'

/** The order of the areas below contours and water; what is not named is not drawn. */
const AREAS = ['residential', 'farmland', 'orchard', 'grass', 'heath', 'wood', 'sand', 'rock', 'park', 'square']
const ROADS = ['service', 'pedestrian', 'street', 'tertiary', 'secondary', 'primary', 'trunk', 'motorway']
const TRAILS = ['ferry', 'path', 'steps', 'track', 'cycleway']

/** How much of the style's width the rivers of ranks 61 to 68 have. */
const RIVER_WIDTHS = [0.3, 0.42, 0.55, 0.7, 0.9, 1.15, 1.4, 1.8]

export interface RasterJob {
  layers: Layer[]
  heights: Heights | null
  style: GroundStyle
  manner: Manner
  palette: Palette
  time: Time
  z: number
  x: number
  y: number
  zoom: number
  /** Bitmap pixels to a CSS pixel. */
  ratio: number
}

/** A job under way. */
class Drawing {
  readonly scale: number

  constructor(
    readonly sheet: Sheet,
    readonly job: RasterJob,
  ) {
    this.scale = sheet.size / EXTENT
  }

  colour(name: string): Rgb {
    return channels(this.job.palette[name] ?? '#ff00ff')
  }

  find(name: string, shape: Shape): Feature[] {
    return this.job.layers.find((l) => l.class === name && l.shape === shape)?.features ?? []
  }

  areas(features: Feature[]): void {
    for (const f of features) this.sheet.area(f.parts, this.scale)
  }

  fill(features: Feature[], colour: string, alpha = 1, through?: Uint8Array): void {
    if (!features.length) return
    this.areas(features)
    this.sheet.paint({ colour: this.colour(colour), alpha, through })
  }

  /** Strokes lines, or the outlines of areas, with a width in CSS pixels. */
  stroke(
    features: Feature[],
    colour: string,
    width: number,
    more: { alpha?: number; closed?: boolean; dash?: number[]; butt?: boolean; through?: Uint8Array } = {},
  ): void {
    if (!features.length || width <= 0) return
    const px = width * this.job.ratio
    for (const f of features)
      for (const part of f.parts) {
        if (more.dash) this.sheet.dashed(part, this.scale, px, more.dash, !more.butt)
        else this.sheet.line(part, this.scale, px, !more.butt, more.closed)
      }
    this.sheet.paint({ colour: this.colour(colour), alpha: more.alpha, through: more.through })
  }

  /** Strokes lines as a line style says. */
  lines(features: Feature[], line: LineStyle, wider = 0, alpha = 1): void {
    const width = at(line.width, this.job.zoom)
    const dash = line.dash?.map((d) => d * this.job.ratio * Math.max(1, width / 1.6))
    this.stroke(features, line.colour, width + wider, { dash, butt: line.cap === 'butt', alpha })
  }

  /** Lines that run parallel to a shore: broad strokes of line and water in turn, the farthest first. */
  waterlines(shores: Feature[], water: string, closed: boolean, share = 1, through?: Uint8Array): void {
    for (const [offset, width] of [...this.job.style.shore.waterlines].reverse()) {
      this.stroke(shores, 'waterline', 2 * (offset + width / 2) * share, { closed, butt: true, through })
      this.stroke(shores, water, 2 * (offset - width / 2) * share, { closed, butt: true, through })
    }
  }
}

/** Draws a tile on a sheet, so many pixels to a side. */
export function drawTile(sheet: Sheet, size: number, job: RasterJob): void {
  sheet.begin(size, channels(job.palette.sea!))
  const d = new Drawing(sheet, job)
  const { style, manner, zoom } = job

  const far = d.find('farland', Shape.Area)
  if (far.length) {
    const shores = d.find('farshore', Shape.Line)
    d.waterlines(shores, 'sea', false, Math.min(1, 0.45 + zoom / 12))
    d.fill(far, 'farland')
    d.stroke(shores, 'farshore', style.shore.line)
    d.fill(d.find('farsea', Shape.Area), 'sea')
  }
  graticule(d)

  const shores = d.find('land', Shape.Area)
  if (zoom >= 8) d.waterlines(shores, 'sea', true)
  const relief = job.heights && (manner.tints || manner.shade) && shores.length
  d.areas(shores)
  const land = relief ? sheet.mask() : undefined
  if (!land) sheet.paint({ colour: d.colour('land') })
  else if (!manner.tints) d.fill(shores, 'land')
  if (land && manner.tints) drawTint(sheet, land, job.heights!, manner.tints[job.time]!)

  for (const name of AREAS) {
    const areaStyle = style.areas[name]
    const features = d.find(name, Shape.Area)
    if (areaStyle && features.length) drawArea(d, features, areaStyle, manner.cover ?? 1)
  }
  if (land && manner.shade) drawShade(sheet, land, job.heights!, manner.shade, job.palette.shade!, job.palette.light!)
  if (manner.contours) contours(d, d.find('contour', Shape.Line))

  d.stroke(shores, 'shore', style.shore.line, { closed: true })
  cliffs(d, d.find('cliff', Shape.Line))
  d.lines(d.find('stream', Shape.Line), style.lines.stream!)
  // Rivers are as wide as their rank says, all banks under all waters.
  const rivers = d.find('river', Shape.Line)
  const river = style.lines.river!
  const reaches = RIVER_WIDTHS.map((share, i) => ({
    features: rivers.filter((f) => Math.max(0, Math.min(7, f.rank - 61)) === i),
    style: { ...river, width: river.width.map(([z, w]): [number, number] => [z, w * share]) },
  }))
  for (const { features, style: s } of reaches) d.lines(features, { ...s, colour: s.edge! }, 1.6)
  for (const { features, style: s } of reaches) d.lines(features, s)
  for (const name of ['water', 'pier']) {
    const features = d.find(name, Shape.Area)
    if (features.length) drawArea(d, features, style.areas[name]!)
  }
  const piers = d.find('pier', Shape.Line)
  d.lines(piers, { ...style.lines.pier!, colour: 'shore' }, 1.6)
  d.lines(piers, style.lines.pier!)
  const buildings = d.find('building', Shape.Area)
  if (buildings.length) drawArea(d, buildings, style.areas.building!)

  drawRoads(d)
  if (zoom >= 15.5) for (const name of ROADS) arrows(d, d.find(name, Shape.Line))
  if (zoom >= 16) barriers(d, d.find('barrier', Shape.Point))
}

/** Steps of the graticule in degrees: whole ones, then round numbers of minutes and seconds. */
const STEPS = [
  30,
  15,
  10,
  5,
  2,
  1,
  30 / 60,
  10 / 60,
  5 / 60,
  2 / 60,
  1 / 60,
  30 / 3600,
  10 / 3600,
  5 / 3600,
  2 / 3600,
  1 / 3600,
]

/** The step of the graticule at a zoom: the least that leaves its lines some 150 pixels apart. */
export function graticuleStep(zoom: number): number {
  const least = (360 / 2 ** Math.floor(zoom)) * 0.28
  return [...STEPS].reverse().find((s) => s >= least) ?? 30
}

function graticule(d: Drawing): void {
  const { job, sheet } = d
  const n = 2 ** job.z
  const step = graticuleStep(job.z)
  const side = sheet.size
  const width = 0.7 * job.ratio
  const lat = (row: number) => (Math.atan(Math.sinh((0.5 - row / n) * 2 * Math.PI)) * 180) / Math.PI
  const west = (job.x / n) * 360 - 180
  for (let k = Math.ceil(west / step - 1e-9); k * step <= west + 360 / n + 1e-9; k++) {
    const x = (((k * step + 180) / 360) * n - job.x) * side
    sheet.line([x, 0, x, side], 1, width, false)
  }
  for (let k = Math.ceil(lat(job.y + 1) / step - 1e-9); k * step <= lat(job.y) + 1e-9; k++) {
    const s = Math.sin((k * step * Math.PI) / 180)
    const y = ((0.5 - Math.log((1 + s) / (1 - s)) / (4 * Math.PI)) * n - job.y) * side
    sheet.line([0, y, side, y], 1, width, false)
  }
  sheet.paint({ colour: d.colour('graticule') })
}

function drawArea(d: Drawing, features: Feature[], area: AreaStyle, alpha = 1): void {
  const { job, sheet } = d
  d.fill(features, area.fill, alpha)
  if (area.pattern && area.mark && job.manner.patterns && job.zoom >= (area.from ?? 0)) {
    if (area.pattern === 'rows') {
      // Each field is ploughed its own way.
      for (const way of [0, 1, 2] as const)
        d.fill(
          features.filter((f) => Math.floor(f.id / 4) % 3 === way),
          area.mark,
          alpha,
          patternOf('rows', sheet, job.ratio, job.x, job.y, way),
        )
    } else d.fill(features, area.mark, alpha, patternOf(area.pattern, sheet, job.ratio, job.x, job.y))
  }
  if (area.waterlines && job.zoom >= 11) {
    d.areas(features)
    d.waterlines(features, area.fill, true, 1, sheet.mask())
  }
  if (area.edge && (job.zoom >= 14.5 || area.waterlines)) d.stroke(features, area.edge, 0.8, { closed: true })
}

/** Contours bend evenly between the points of their grid. */
function contours(d: Drawing, features: Feature[]): void {
  const { job } = d
  const line = job.style.lines.contour!
  const bent = (some: Feature[]): Feature[] =>
    job.z < 14 ? some : some.map((f) => ({ ...f, parts: f.parts.map(curve) }))
  const width = at(line.width, job.zoom)
  d.stroke(bent(features.filter((f) => f.rank === 0)), line.colour, width, { alpha: job.manner.contours })
  d.stroke(bent(features.filter((f) => f.rank > 0)), line.index!, width + 0.35, { alpha: job.manner.contours })
}

/** The line that touches each stretch at its middle (quadratic B-spline), in short stretches. */
function curve(q: Int32Array): Int32Array {
  const out = [q[0]!, q[1]!]
  let [ax, ay] = [q[0]!, q[1]!]
  for (let i = 2; i + 3 < q.length; i += 2) {
    const [bx, by] = [(q[i]! + q[i + 2]!) / 2, (q[i + 1]! + q[i + 3]!) / 2]
    for (const t of [0.25, 0.5, 0.75, 1]) {
      const [u, v, w] = [(1 - t) * (1 - t), 2 * t * (1 - t), t * t]
      out.push(ax * u + q[i]! * v + bx * w, ay * u + q[i + 1]! * v + by * w)
    }
    ax = bx
    ay = by
  }
  out.push(q[q.length - 2]!, q[q.length - 1]!)
  return Int32Array.from(out)
}

/** Cliffs bear ticks down the slope, which lies at the right of their lines. */
function cliffs(d: Drawing, features: Feature[]): void {
  const { job, sheet, scale } = d
  const line = job.style.lines.cliff!
  if (!features.length || !line.tick || job.zoom < line.width[0]![0]) return
  const width = at(line.width, job.zoom) * job.ratio
  const tick = at(line.tick, job.zoom) * job.ratio
  const every = Math.max(3 * job.ratio, tick * 0.9)
  for (const f of features)
    for (const q of f.parts) {
      sheet.line(q, scale, width)
      along(q, scale, every, 0, (x, y, dx, dy) => sheet.line([x, y, x - dy * tick, y + dx * tick], 1, width, false))
    }
  sheet.paint({ colour: d.colour(line.colour) })
}

/** Calls f at equal distances along a line, with the direction there. */
function along(
  part: Int32Array,
  scale: number,
  every: number,
  next: number,
  f: (x: number, y: number, dx: number, dy: number) => void,
): void {
  for (let i = 2; i < part.length; i += 2) {
    const [ax, ay] = [part[i - 2]! * scale, part[i - 1]! * scale]
    const [dx, dy] = [part[i]! * scale - ax, part[i + 1]! * scale - ay]
    const length = Math.hypot(dx, dy) || 1
    for (; next < length; next += every)
      f(ax + (dx * next) / length, ay + (dy * next) / length, dx / length, dy / length)
    next -= length
  }
}

/** How much wider than its surface a road is with its edges, in pixels. */
const CASING = 1.5

/**
 * Tunnels below, then trails, then the roads with all casings under all surfaces, and bridges over everything, the
 * lowest first.
 */
function drawRoads(d: Drawing): void {
  const { style, zoom, manner } = d.job
  const wide = (s: LineStyle): LineStyle =>
    manner.roads ? { ...s, width: s.width.map(([z, w]) => [z, w * manner.roads!]) } : s
  const level = (f: Feature) => (f.flags & Flag.Bridge ? 1 + levelOf(f) : f.flags & Flag.Tunnel ? -1 : 0)
  const roads = ROADS.map((name) => {
    const levels = new Map<number, Feature[]>()
    for (const f of d.find(name, Shape.Line)) {
      const there = levels.get(level(f))
      if (there) there.push(f)
      else levels.set(level(f), [f])
    }
    return { style: wide(style.lines[name]!), on: (n: number) => levels.get(n) ?? [] }
  }).filter(({ style: s }) => zoom >= s.width[0]![0] - 1)
  for (const { style: s, on } of roads) {
    d.lines(on(-1), s, 0, 0.45)
    if (!s.edge) continue
    d.lines(on(-1), { ...s, colour: s.edge, dash: [3, 2.5], cap: 'butt' }, 1.5)
    d.lines(on(-1), { ...s, cap: 'butt' }, -0.2)
  }
  for (const name of TRAILS) {
    const s = style.lines[name]!
    const features = d.find(name, Shape.Line)
    if (zoom >= 14) {
      const bridges = features.filter((f) => level(f) > 0)
      d.lines(bridges, { colour: 'ink-soft', width: s.width, cap: 'butt' }, 5)
      d.lines(bridges, { colour: 'land', width: s.width, cap: 'butt' }, 3.4)
    }
    d.lines(features, s)
  }
  for (const { style: s, on } of roads)
    if (s.edge && at(s.width, zoom) >= 1.6) d.lines(on(0), { ...s, colour: s.edge }, s.casing ?? CASING)
  for (const { style: s, on } of roads)
    d.lines(on(0), at(s.width, zoom) < 1.6 && s.edge ? { ...s, colour: s.thin ?? s.edge } : s)
  // The thread along the middle, where there is room for it between the edges.
  const thread = (s: LineStyle, features: Feature[]) =>
    s.thread && at(s.width, zoom) >= 4 && d.lines(features, { colour: 'thread', width: s.thread })
  for (const { style: s, on } of roads) thread(s, on(0))
  for (let n = 1; n <= 4; n++)
    for (const { style: s, on } of roads) {
      d.lines(on(n), { ...s, colour: 'ink-soft', cap: 'butt' }, Math.max(zoom < 13 ? 1.8 : 3, s.casing ?? CASING))
      d.lines(on(n), s)
      thread(s, on(n))
    }
}

/** A gate or bollard: a short bar with a foot at each end. */
function barriers(d: Drawing, features: Feature[]): void {
  if (!features.length) return
  const { sheet, scale } = d
  const r = 4 * d.job.ratio
  const width = 1.4 * d.job.ratio
  for (const f of features) {
    const [x, y] = [f.parts[0]![0]! * scale, f.parts[0]![1]! * scale]
    for (const k of [-r, r]) sheet.line([x + k, y - r * 0.8, x + k, y + r * 0.8], 1, width)
    sheet.line([x - r, y, x + r, y], 1, width)
  }
  sheet.paint({ colour: d.colour('barrier') })
}

const ARROW = [5, 0, 0.5, -2.6, 0.5, -0.6, -5, -0.6, -5, 0.6, 0.5, 0.6, 0.5, 2.6]

/** Small arrows along streets that cars may follow one way only. */
function arrows(d: Drawing, features: Feature[]): void {
  const { sheet, scale } = d
  const ratio = d.job.ratio
  const every = 110 * ratio
  let any = false
  for (const f of features) {
    if (!(f.flags & Flag.OneWay)) continue
    for (const part of f.parts)
      along(part, scale, every, every / 2, (x, y, dx, dy) => {
        any = true
        const ring: number[] = []
        for (let i = 0; i < ARROW.length; i += 2) {
          const [a, b] = [ARROW[i]! * ratio, ARROW[i + 1]! * ratio]
          ring.push(x + dx * a - dy * b, y + dy * a + dx * b)
        }
        sheet.area([ring], 1)
      })
  }
  if (any) sheet.paint({ colour: d.colour('ink-soft') })
}
