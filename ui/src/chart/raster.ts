// Draws the ground of one tile: everything but labels and stones. Runs in a worker, on an OffscreenCanvas.

import { EXTENT, Flag, Shape, type Feature, type Layer } from './decode'
import { at, type AreaStyle, type GroundStyle, type LineStyle, type Palette } from './style'

type Context = OffscreenCanvasRenderingContext2D

/** The order of the areas; what is not named is not drawn. */
const AREAS = ['residential', 'farmland', 'grass', 'wood', 'sand', 'rock', 'park', 'square', 'water', 'pier']
const ROADS = ['service', 'pedestrian', 'street', 'tertiary', 'secondary', 'primary', 'trunk', 'motorway']
const TRAILS = ['ferry', 'path', 'steps', 'track', 'cycleway']

export interface RasterJob {
  layers: Layer[]
  style: GroundStyle
  palette: Palette
  zoom: number
  /** Bitmap pixels to a CSS pixel. */
  ratio: number
}

export function drawTile(canvas: OffscreenCanvas, job: RasterJob): void {
  const ctx = canvas.getContext('2d', { alpha: false })!
  const { style, palette, zoom, ratio } = job
  const scale = canvas.width / EXTENT
  const colour = (name: string) => palette[name] ?? '#f0f'
  const find = (name: string, shape: Shape): Feature[] => job.layers.find((l) => l.class === name && l.shape === shape)?.features ?? []
  const path = (features: Feature[], close: boolean): Path2D => {
    const p = new Path2D()
    for (const f of features) for (const part of f.parts) trace(p, part, scale, close)
    return p
  }

  ctx.fillStyle = colour('sea')
  ctx.fillRect(0, 0, canvas.width, canvas.height)
  ctx.lineJoin = 'round'
  ctx.lineCap = 'round'

  const land = path(find('land', Shape.Area), true)
  if (zoom >= 8) waterlines(ctx, land, style, colour('waterline'), colour('sea'), ratio)
  ctx.fillStyle = colour('land')
  ctx.fill(land, 'evenodd')

  for (const name of AREAS) {
    const areaStyle = style.areas[name]
    const features = find(name, Shape.Area)
    if (areaStyle && features.length) drawArea(ctx, path(features, true), areaStyle, job, colour)
  }
  ctx.strokeStyle = colour('shore')
  ctx.lineWidth = style.shore.line * ratio
  ctx.stroke(land)

  for (const name of ['stream', 'river', 'pier']) {
    const s = style.lines[name]!
    const p = path(find(name, Shape.Line), false)
    if (s.edge) stroke(ctx, p, { ...s, colour: s.edge }, zoom, ratio, colour, 1.6)
    stroke(ctx, p, s, zoom, ratio, colour)
  }
  const buildings = find('building', Shape.Area)
  if (buildings.length) drawArea(ctx, path(buildings, true), style.areas.building!, job, colour)

  drawRoads(ctx, job, colour, (name, filter) => path(find(name, Shape.Line).filter(filter), false))
  if (zoom >= 15.5) for (const name of ROADS) arrows(ctx, find(name, Shape.Line), scale, ratio, colour('ink-soft'))
}

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

function drawArea(ctx: Context, p: Path2D, area: AreaStyle, job: RasterJob, colour: (name: string) => string): void {
  ctx.fillStyle = colour(area.fill)
  ctx.fill(p, 'evenodd')
  if (area.pattern && area.mark && job.zoom >= (area.from ?? 0)) {
    const pattern = patternOf(ctx, area.pattern, colour(area.mark), job.ratio, ctx.canvas.width)
    ctx.fillStyle = pattern
    ctx.fill(p, 'evenodd')
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

const MARK = 24

/** A small repeating drawing; its size is such that it goes on without a seam from tile to tile. */
function patternOf(ctx: Context, kind: NonNullable<AreaStyle['pattern']>, colour: string, ratio: number, tile: number): CanvasPattern {
  const c = new OffscreenCanvas(MARK * 2, MARK * 2)
  const p = c.getContext('2d')!
  p.scale(2, 2)
  p.strokeStyle = colour
  p.fillStyle = colour
  p.lineWidth = 0.9
  p.lineCap = 'round'
  const line = (...points: number[]) => {
    p.beginPath()
    p.moveTo(points[0]!, points[1]!)
    for (let i = 2; i < points.length; i += 2) p.lineTo(points[i]!, points[i + 1]!)
    p.stroke()
  }
  switch (kind) {
    case 'hatch':
      p.lineWidth = 0.8
      for (let i = -MARK; i <= MARK; i += 4) line(i, MARK, i + MARK, 0)
      break
    case 'rows':
      p.lineWidth = 0.7
      for (let y = 3; y < MARK; y += 6) line(0, y, MARK, y)
      break
    case 'tufts':
      for (const [x, y] of [[5, 7], [17, 19]] as const) {
        line(x - 2.5, y - 2, x - 1, y + 1)
        line(x, y - 3, x, y + 1)
        line(x + 2.5, y - 2, x + 1, y + 1)
      }
      break
    case 'trees':
      for (const [x, y] of [[6, 7], [18, 19], [19, 5], [6, 18]] as const) {
        p.beginPath()
        p.arc(x, y, 2.3, Math.PI * 0.75, Math.PI * 2.25)
        p.stroke()
        line(x, y + 1.2, x, y + 3)
      }
      break
    case 'stipple':
      for (const [x, y] of [[4, 5], [12, 3], [19, 8], [8, 12], [15, 15], [3, 19], [21, 20], [11, 21]] as const) {
        p.beginPath()
        p.arc(x, y, 0.75, 0, 7)
        p.fill()
      }
  }
  const pattern = ctx.createPattern(c, 'repeat')!
  const repeats = Math.max(1, Math.round(tile / (MARK * ratio)))
  const size = tile / repeats / (MARK * 2)
  pattern.setTransform(new DOMMatrix([size, 0, 0, size, 0, 0]))
  return pattern
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

/** Tunnels below, then trails, then the roads with all casings under all surfaces, and bridges over everything. */
function drawRoads(ctx: Context, job: RasterJob, colour: (name: string) => string, path: (name: string, filter: (f: Feature) => boolean) => Path2D): void {
  const { style, zoom, ratio } = job
  const level = (f: Feature) => (f.flags & Flag.Bridge ? 1 : f.flags & Flag.Tunnel ? -1 : 0)
  for (const name of ROADS) {
    const s = style.lines[name]!
    if (s.edge) stroke(ctx, path(name, (f) => level(f) === -1), { ...s, colour: s.edge, dash: [3, 3], cap: 'butt', width: s.width.map(([z, w]) => [z, w * 0.6]) }, zoom, ratio, colour)
  }
  for (const name of TRAILS) stroke(ctx, path(name, () => true), style.lines[name]!, zoom, ratio, colour)
  const cased = ROADS.map((name) => ({ style: style.lines[name]!, path: path(name, (f) => level(f) === 0) }))
  for (const { style: s, path: p } of cased) if (s.edge && at(s.width, zoom) >= 1.6) stroke(ctx, p, { ...s, colour: s.edge }, zoom, ratio, colour, 1.5)
  for (const { style: s, path: p } of cased) stroke(ctx, p, at(s.width, zoom) < 1.6 && s.edge ? { ...s, colour: s.edge } : s, zoom, ratio, colour)
  for (const name of ROADS) {
    const s = style.lines[name]!
    const p = path(name, (f) => level(f) === 1)
    stroke(ctx, p, { ...s, colour: 'ink-soft', cap: 'butt' }, zoom, ratio, colour, 3)
    stroke(ctx, p, s, zoom, ratio, colour)
  }
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
