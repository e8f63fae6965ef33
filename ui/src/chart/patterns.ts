// Small repeating drawings that cover areas: trees, tufts, furrows, the hatching of buildings.

import type { Context } from './raster'
import type { AreaStyle } from './style'

type Kind = NonNullable<AreaStyle['pattern']>

const MARK = 24

const drawn = new Map<string, OffscreenCanvas>()

/** Fills a path with a pattern whose size is such that it goes on without a seam from tile to tile. */
export function drawPattern(ctx: Context, path: Path2D, kind: Kind, colour: string, ratio: number, way: 0 | 1 | 2 = 0): void {
  const key = `${kind} ${colour} ${way}`
  let canvas = drawn.get(key)
  if (!canvas) drawn.set(key, (canvas = draw(kind, colour, way)))
  const pattern = ctx.createPattern(canvas, 'repeat')!
  const tile = ctx.canvas.width
  const repeats = Math.max(1, Math.round(tile / (MARK * ratio)))
  const size = tile / repeats / (MARK * 2)
  pattern.setTransform(new DOMMatrix([size, 0, 0, size, 0, 0]))
  ctx.fillStyle = pattern
  ctx.fill(path, 'evenodd')
}

function draw(kind: Kind, colour: string, way: 0 | 1 | 2): OffscreenCanvas {
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
  const dot = (x: number, y: number, r: number) => {
    p.beginPath()
    p.arc(x, y, r, 0, 7)
    p.fill()
  }
  switch (kind) {
    case 'hatch':
      p.lineWidth = 0.8
      for (let i = -MARK; i <= MARK; i += 4) line(i, MARK, i + MARK, 0)
      break
    case 'rows':
      p.lineWidth = 0.7
      if (way === 2) for (let i = -MARK; i <= MARK; i += 8) line(i, 0, i + MARK, MARK)
      else for (let v = 3; v < MARK; v += 6) way ? line(v, 0, v, MARK) : line(0, v, MARK, v)
      break
    case 'tufts':
      for (const [x, y] of [[5, 7], [17, 19]] as const) {
        line(x - 2.5, y - 2, x - 1, y + 1)
        line(x, y - 3, x, y + 1)
        line(x + 2.5, y - 2, x + 1, y + 1)
      }
      break
    case 'heath':
      for (const [x, y] of [[4, 6], [16, 5], [10, 14], [21, 17], [5, 21]] as const) {
        line(x - 1.8, y - 1.6, x, y)
        line(x + 1.8, y - 1.6, x, y)
      }
      break
    case 'orchard':
      for (const x of [4, 12, 20]) for (const y of [4, 12, 20]) dot(x, y, 1.3)
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
      for (const [x, y] of [[4, 5], [12, 3], [19, 8], [8, 12], [15, 15], [3, 19], [21, 20], [11, 21]] as const) dot(x, y, 0.75)
  }
  return c
}
