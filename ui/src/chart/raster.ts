// Draws the ground of one tile: everything but labels and stones. Runs in a worker, on an OffscreenCanvas.

import { EXTENT, Flag, Shape, levelOf, type Feature, type Layer } from './decode'
import { drawPattern } from './patterns'
import { drawShade, drawTint, type Heights } from './relief'
import { at, type AreaStyle, type GroundStyle, type LineStyle, type Manner, type Palette, type Time } from './style'

export type Context = OffscreenCanvasRenderingContext2D

/** The order of the areas below contours and water; what is not named is not drawn. */
const AREAS = ['residential', 'farmland', 'orchard', 'grass', 'heath', 'wood', 'sand', 'rock', 'park', 'square']
const ROADS = ['service', 'pedestrian', 'street', 'tertiary', 'secondary', 'primary', 'trunk', 'motorway']
const TRAILS = ['ferry', 'path', 'steps', 'track', 'cycleway']

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

export function drawTile(canvas: OffscreenCanvas, job: RasterJob): void {
  const ctx = canvas.getContext('2d', { alpha: false })!
  const { style, manner, palette, zoom, ratio } = job
  const scale = canvas.width / EXTENT
  const colour = (name: string) => palette[name] ?? '#f0f'
  const find = (name: string, shape: Shape): Feature[] => job.layers.find((l) => l.class === name && l.shape === shape)?.features ?? []
  const path = (features: Feature[], close: boolean): Path2D => {
    const p = new Path2D()
    for (const f of features) for (const part of f.parts) trace(p, part, scale, close)
    return p
  }
  const fill = (p: Path2D, name: string) => {
    ctx.fillStyle = colour(name)
    ctx.fill(p, 'evenodd')
  }

  ctx.fillStyle = colour('sea')
  ctx.fillRect(0, 0, canvas.width, canvas.height)
  ctx.lineJoin = 'round'
  ctx.lineCap = 'round'

  const far = find('farland', Shape.Area)
  if (far.length) {
    const shores = path(find('farshore', Shape.Line), false)
    waterlines(ctx, shores, style, colour('waterline'), colour('sea'), ratio * Math.min(1, 0.45 + zoom / 12))
    fill(path(far, true), 'farland')
    ctx.strokeStyle = colour('farshore')
    ctx.lineWidth = style.shore.line * ratio
    ctx.stroke(shores)
    fill(path(find('farsea', Shape.Area), true), 'sea')
  }
  graticule(ctx, job, colour('graticule'))

  const shores = find('land', Shape.Area)
  const land = path(shores, true)
  if (zoom >= 8 && shores.length) waterlines(ctx, land, style, colour('waterline'), colour('sea'), ratio)
  fill(land, 'land')
  if (job.heights && manner.tints) drawTint(ctx, land, job.heights, manner.tints[job.time]!)

  ctx.globalAlpha = manner.cover ?? 1
  for (const name of AREAS) {
    const areaStyle = style.areas[name]
    const features = find(name, Shape.Area)
    if (areaStyle && features.length) drawArea(ctx, features, path, areaStyle, job, colour)
  }
  ctx.globalAlpha = 1
  if (job.heights && manner.shade) drawShade(ctx, land, job.heights, manner.shade, colour('shade'), colour('light'))
  if (manner.contours) contours(ctx, find('contour', Shape.Line), path, job, colour)

  if (shores.length) {
    ctx.strokeStyle = colour('shore')
    ctx.lineWidth = style.shore.line * ratio
    ctx.stroke(land)
  }
  cliffs(ctx, find('cliff', Shape.Line), scale, job, colour)
  stroke(ctx, path(find('stream', Shape.Line), false), style.lines.stream!, zoom, ratio, colour)
  // Rivers are as wide as their rank says, all banks under all waters.
  const rivers = find('river', Shape.Line)
  const river = style.lines.river!
  const reaches = RIVER_WIDTHS.map((share, i) => ({
    path: path(rivers.filter((f) => Math.max(0, Math.min(7, f.rank - 61)) === i), false),
    style: { ...river, width: river.width.map(([z, w]): [number, number] => [z, w * share]) },
  }))
  for (const { path: p, style: s } of reaches) stroke(ctx, p, { ...s, colour: s.edge! }, zoom, ratio, colour, 1.6)
  for (const { path: p, style: s } of reaches) stroke(ctx, p, s, zoom, ratio, colour)
  for (const name of ['water', 'pier']) {
    const features = find(name, Shape.Area)
    if (features.length) drawArea(ctx, features, path, style.areas[name]!, job, colour)
  }
  const piers = path(find('pier', Shape.Line), false)
  stroke(ctx, piers, { ...style.lines.pier!, colour: 'shore' }, zoom, ratio, colour, 1.6)
  stroke(ctx, piers, style.lines.pier!, zoom, ratio, colour)
  const buildings = find('building', Shape.Area)
  if (buildings.length) drawArea(ctx, buildings, path, style.areas.building!, job, colour)

  drawRoads(ctx, job, colour, (name, filter) => path(find(name, Shape.Line).filter(filter), false))
  if (zoom >= 15.5) for (const name of ROADS) arrows(ctx, find(name, Shape.Line), scale, ratio, colour('ink-soft'))
  if (zoom >= 16) barriers(ctx, find('barrier', Shape.Point), scale, ratio, colour)
}

/** How much of the style's width the rivers of ranks 61 to 68 have. */
const RIVER_WIDTHS = [0.3, 0.42, 0.55, 0.7, 0.9, 1.15, 1.4, 1.8]

function trace(p: Path2D, part: Int32Array, scale: number, close: boolean): void {
  for (let i = 0; i < part.length; i += 2) {
    const x = part[i]! * scale
    const y = part[i + 1]! * scale
    if (i === 0) p.moveTo(x, y)
    else p.lineTo(x, y)
  }
  if (close) p.closePath()
}

/** Lines that run parallel to a shore: broad strokes of line and water in turn, the farthest first. */
function waterlines(ctx: Context, shore: Path2D, style: GroundStyle, line: string, water: string, ratio: number): void {
  for (const [offset, width] of [...style.shore.waterlines].reverse()) {
    ctx.strokeStyle = line
    ctx.lineWidth = 2 * (offset + width / 2) * ratio
    ctx.stroke(shore)
    ctx.strokeStyle = water
    ctx.lineWidth = 2 * (offset - width / 2) * ratio
    ctx.stroke(shore)
  }
}

/** Steps of the graticule in degrees: whole ones, then round numbers of minutes and seconds. */
const STEPS = [30, 15, 10, 5, 2, 1, 30 / 60, 10 / 60, 5 / 60, 2 / 60, 1 / 60, 30 / 3600, 10 / 3600, 5 / 3600, 2 / 3600, 1 / 3600]

/** The step of the graticule at a zoom: the least that leaves its lines some 150 pixels apart. */
export function graticuleStep(zoom: number): number {
  const least = (360 / 2 ** Math.floor(zoom)) * 0.28
  return [...STEPS].reverse().find((s) => s >= least) ?? 30
}

function graticule(ctx: Context, job: RasterJob, colour: string): void {
  const n = 2 ** job.z
  const step = graticuleStep(job.z)
  const side = ctx.canvas.width
  const lat = (row: number) => (Math.atan(Math.sinh((0.5 - row / n) * 2 * Math.PI)) * 180) / Math.PI
  ctx.beginPath()
  const west = (job.x / n) * 360 - 180
  for (let k = Math.ceil(west / step - 1e-9); k * step <= west + 360 / n + 1e-9; k++) {
    const x = (((k * step + 180) / 360) * n - job.x) * side
    ctx.moveTo(x, 0)
    ctx.lineTo(x, side)
  }
  for (let k = Math.ceil(lat(job.y + 1) / step - 1e-9); k * step <= lat(job.y) + 1e-9; k++) {
    const s = Math.sin((k * step * Math.PI) / 180)
    const y = ((0.5 - Math.log((1 + s) / (1 - s)) / (4 * Math.PI)) * n - job.y) * side
    ctx.moveTo(0, y)
    ctx.lineTo(side, y)
  }
  ctx.strokeStyle = colour
  ctx.lineWidth = 0.7 * job.ratio
  ctx.stroke()
}

type PathOf = (features: Feature[], close: boolean) => Path2D

function drawArea(ctx: Context, features: Feature[], path: PathOf, area: AreaStyle, job: RasterJob, colour: (name: string) => string): void {
  const p = path(features, true)
  ctx.fillStyle = colour(area.fill)
  ctx.fill(p, 'evenodd')
  if (area.pattern && area.mark && job.manner.patterns && job.zoom >= (area.from ?? 0)) {
    if (area.pattern === 'rows') {
      // Each field is ploughed its own way.
      for (const way of [0, 1, 2] as const) {
        const some = features.filter((f) => Math.floor(f.id / 4) % 3 === way)
        if (some.length) drawPattern(ctx, path(some, true), 'rows', colour(area.mark), job.ratio, way)
      }
    } else drawPattern(ctx, p, area.pattern, colour(area.mark), job.ratio)
  }
  if (area.waterlines && job.zoom >= 11) {
    ctx.save()
    ctx.clip(p, 'evenodd')
    waterlines(ctx, p, job.style, colour('waterline'), colour(area.fill), job.ratio)
    ctx.restore()
  }
  if (area.edge && (job.zoom >= 14.5 || area.waterlines)) {
    ctx.strokeStyle = colour(area.edge)
    ctx.lineWidth = 0.8 * job.ratio
    ctx.stroke(p)
  }
}

function stroke(ctx: Context, p: Path2D, line: LineStyle, zoom: number, ratio: number, colour: (name: string) => string, wider = 0): void {
  const width = at(line.width, zoom)
  ctx.strokeStyle = colour(line.colour)
  ctx.lineWidth = (width + wider) * ratio
  ctx.lineCap = line.cap ?? 'round'
  ctx.setLineDash(line.dash ? line.dash.map((d) => d * ratio * Math.max(1, width / 1.6)) : [])
  ctx.stroke(p)
  ctx.setLineDash([])
  ctx.lineCap = 'round'
}

/** Contours bend evenly between the points of their grid. */
function contours(ctx: Context, features: Feature[], path: PathOf, job: RasterJob, colour: (name: string) => string): void {
  if (!features.length) return
  const line = job.style.lines.contour!
  const scale = ctx.canvas.width / EXTENT
  const bent = (some: Feature[]): Path2D => {
    if (job.z < 14) return path(some, false)
    const p = new Path2D()
    for (const f of some)
      for (const q of f.parts) {
        p.moveTo(q[0]! * scale, q[1]! * scale)
        for (let i = 2; i + 3 < q.length; i += 2)
          p.quadraticCurveTo(q[i]! * scale, q[i + 1]! * scale, ((q[i]! + q[i + 2]!) / 2) * scale, ((q[i + 1]! + q[i + 3]!) / 2) * scale)
        p.lineTo(q[q.length - 2]! * scale, q[q.length - 1]! * scale)
      }
    return p
  }
  ctx.globalAlpha = job.manner.contours
  stroke(ctx, bent(features.filter((f) => f.rank === 0)), line, job.zoom, job.ratio, colour)
  stroke(ctx, bent(features.filter((f) => f.rank > 0)), { ...line, colour: line.index! }, job.zoom, job.ratio, colour, 0.35)
  ctx.globalAlpha = 1
}

/** Cliffs bear ticks down the slope, which lies at the right of their lines. */
function cliffs(ctx: Context, features: Feature[], scale: number, job: RasterJob, colour: (name: string) => string): void {
  const line = job.style.lines.cliff!
  if (!features.length || !line.tick || job.zoom < line.width[0]![0]) return
  const tick = at(line.tick, job.zoom) * job.ratio
  const every = Math.max(3 * job.ratio, tick * 0.9)
  ctx.beginPath()
  for (const f of features)
    for (const q of f.parts) {
      let next = 0
      for (let i = 2; i < q.length; i += 2) {
        const [ax, ay] = [q[i - 2]! * scale, q[i - 1]! * scale]
        const [dx, dy] = [q[i]! * scale - ax, q[i + 1]! * scale - ay]
        const length = Math.hypot(dx, dy) || 1
        if (i === 2) ctx.moveTo(ax, ay)
        else ctx.moveTo(ax, ay)
        ctx.lineTo(ax + dx, ay + dy)
        for (; next < length; next += every) {
          const [x, y] = [ax + (dx * next) / length, ay + (dy * next) / length]
          ctx.moveTo(x, y)
          ctx.lineTo(x - (dy / length) * tick, y + (dx / length) * tick)
        }
        next -= length
      }
    }
  ctx.strokeStyle = colour(line.colour)
  ctx.lineWidth = at(line.width, job.zoom) * job.ratio
  ctx.stroke()
}

/** Tunnels below, then trails, then the roads with all casings under all surfaces, and bridges over everything, the lowest first. */
function drawRoads(ctx: Context, job: RasterJob, colour: (name: string) => string, path: (name: string, filter: (f: Feature) => boolean) => Path2D): void {
  const { style, zoom, ratio } = job
  const wide = (s: LineStyle): LineStyle => (job.manner.roads ? { ...s, width: s.width.map(([z, w]) => [z, w * job.manner.roads!]) } : s)
  const level = (f: Feature) => (f.flags & Flag.Bridge ? 1 + levelOf(f) : f.flags & Flag.Tunnel ? -1 : 0)
  const roads = ROADS.map((name) => ({ name, style: wide(style.lines[name]!) })).filter(({ style: s }) => zoom >= s.width[0]![0] - 1)
  for (const { name, style: s } of roads) {
    const p = path(name, (f) => level(f) === -1)
    ctx.globalAlpha = 0.45
    stroke(ctx, p, s, zoom, ratio, colour)
    ctx.globalAlpha = 1
    if (s.edge) edges(ctx, p, { ...s, dash: [3, 2.5] }, zoom, ratio, colour)
  }
  for (const name of TRAILS) {
    const s = style.lines[name]!
    if (zoom >= 14) stroke(ctx, path(name, (f) => level(f) > 0), { colour: 'ink-soft', width: s.width, cap: 'butt' }, zoom, ratio, colour, 5)
    if (zoom >= 14) stroke(ctx, path(name, (f) => level(f) > 0), { colour: 'land', width: s.width, cap: 'butt' }, zoom, ratio, colour, 3.4)
    stroke(ctx, path(name, () => true), s, zoom, ratio, colour)
  }
  const cased = roads.map(({ name, style: s }) => ({ style: s, path: path(name, (f) => level(f) === 0) }))
  for (const { style: s, path: p } of cased) if (s.edge && at(s.width, zoom) >= 1.6) stroke(ctx, p, { ...s, colour: s.edge }, zoom, ratio, colour, 1.5)
  for (const { style: s, path: p } of cased) stroke(ctx, p, at(s.width, zoom) < 1.6 && s.edge ? { ...s, colour: s.thin ?? s.edge } : s, zoom, ratio, colour)
  for (let n = 1; n <= 4; n++)
    for (const { name, style: s } of roads) {
      const p = path(name, (f) => level(f) === n)
      stroke(ctx, p, { ...s, colour: 'ink-soft', cap: 'butt' }, zoom, ratio, colour, zoom < 13 ? 1.8 : 3)
      stroke(ctx, p, s, zoom, ratio, colour)
    }
}

/** Two dashed lines at the edges of a road that runs underground. */
function edges(ctx: Context, p: Path2D, line: LineStyle, zoom: number, ratio: number, colour: (name: string) => string): void {
  ctx.save()
  stroke(ctx, p, { ...line, colour: line.edge!, cap: 'butt' }, zoom, ratio, colour, 1.5)
  stroke(ctx, p, { ...line, dash: undefined, cap: 'butt' }, zoom, ratio, colour, -0.2)
  ctx.restore()
}

/** A gate or bollard: a short bar with a foot at each end. */
function barriers(ctx: Context, features: Feature[], scale: number, ratio: number, colour: (name: string) => string): void {
  ctx.strokeStyle = colour('barrier')
  ctx.lineWidth = 1.4 * ratio
  ctx.beginPath()
  for (const f of features) {
    const [x, y] = [f.parts[0]![0]! * scale, f.parts[0]![1]! * scale]
    const r = 4 * ratio
    ctx.moveTo(x - r, y - r * 0.8)
    ctx.lineTo(x - r, y + r * 0.8)
    ctx.moveTo(x + r, y - r * 0.8)
    ctx.lineTo(x + r, y + r * 0.8)
    ctx.moveTo(x - r, y)
    ctx.lineTo(x + r, y)
  }
  ctx.stroke()
}

/** Small arrows along streets that cars may follow one way only. */
function arrows(ctx: Context, features: Feature[], scale: number, ratio: number, colour: string): void {
  ctx.fillStyle = colour
  const every = 110 * ratio
  for (const f of features) {
    if (!(f.flags & Flag.OneWay)) continue
    for (const part of f.parts) {
      let next = every / 2
      for (let i = 2; i < part.length; i += 2) {
        const ax = part[i - 2]! * scale
        const ay = part[i - 1]! * scale
        const dx = part[i]! * scale - ax
        const dy = part[i + 1]! * scale - ay
        const length = Math.hypot(dx, dy)
        for (; next < length; next += every) {
          ctx.save()
          ctx.translate(ax + (dx * next) / length, ay + (dy * next) / length)
          ctx.rotate(Math.atan2(dy, dx))
          ctx.scale(ratio, ratio)
          ctx.beginPath()
          ctx.moveTo(5, 0)
          ctx.lineTo(0.5, -2.6)
          ctx.lineTo(0.5, -0.6)
          ctx.lineTo(-5, -0.6)
          ctx.lineTo(-5, 0.6)
          ctx.lineTo(0.5, 0.6)
          ctx.lineTo(0.5, 2.6)
          ctx.fill()
          ctx.restore()
        }
        next -= length
      }
    }
  }
}
