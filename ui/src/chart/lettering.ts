// What is to be lettered on a tile: its names, each with the points that it belongs to.

import { EXTENT, Shape, type Layer } from './decode'
import type { GroundStyle } from './style'

/** Something to letter: a name with the points it belongs to, as x, y, x, y … on the unit square of the world. */
export interface Lettering {
  id: number
  class: string
  name: string
  rank: number
  line: boolean
  /** The side of its tile, on the unit square of the world. */
  tile: number
  /** Lines end at the edges of their tiles, where those of the next tile go on. */
  points: Float64Array
}

/** From this zoom on contours bear their heights. */
export const CONTOURS_NAMED = 11.9

/** What is to be lettered on a tile, for a zoom between its own and the next. */
export function letteringOf(
  layers: Layer[],
  labels: GroundStyle['labels'],
  r: { z: number; x: number; y: number; zoom: number },
): Lettering[] {
  const out: Lettering[] = []
  const n = 2 ** r.z
  const world = (part: Int32Array) => {
    const w = new Float64Array(part.length)
    for (let i = 0; i < part.length; i += 2) {
      w[i] = (r.x + part[i]! / EXTENT) / n
      w[i + 1] = (r.y + part[i + 1]! / EXTENT) / n
    }
    return w
  }
  for (const layer of layers) {
    if (!labels[layer.class]) continue
    for (const f of layer.features) {
      if (!f.name || (layer.class === 'contour' && r.zoom < CONTOURS_NAMED)) continue
      const add = (part: Int32Array, line: boolean) =>
        out.push({ id: f.id, class: layer.class, name: f.name, rank: f.rank, line, tile: 1 / n, points: world(part) })
      if (layer.shape === Shape.Point) {
        const [x, y] = f.parts[0]!
        if (x! >= 0 && x! < EXTENT && y! >= 0 && y! < EXTENT) add(f.parts[0]!, false)
      } else if (layer.shape === Shape.Line) {
        for (const part of f.parts) for (const piece of within(part)) add(piece, true)
      } else {
        const middle = middleOf(f.parts[0]!)
        if (middle[0]! >= 0 && middle[0]! < EXTENT && middle[1]! >= 0 && middle[1]! < EXTENT) add(middle, false)
      }
    }
  }
  return out
}

/** The pieces of a line that lie on the tile itself, without its margin. */
function within(line: Int32Array): Int32Array[] {
  const out: Int32Array[] = []
  let piece: number[] = []
  const flush = () => {
    if (piece.length > 2) out.push(Int32Array.from(piece))
    piece = []
  }
  for (let i = 2; i < line.length; i += 2) {
    const [ax, ay, bx, by] = [line[i - 2]!, line[i - 1]!, line[i]!, line[i + 1]!]
    let [from, to] = [0, 1]
    for (const [p, d] of [
      [ax, bx - ax],
      [EXTENT - ax, ax - bx],
      [ay, by - ay],
      [EXTENT - ay, ay - by],
    ] as const) {
      // Inside where p + t d >= 0.
      if (d > 0) from = Math.max(from, -p / d)
      else if (d < 0) to = Math.min(to, p / -d)
      else if (p < 0) to = -1
    }
    if (from > to) {
      flush()
      continue
    }
    if (from > 0) flush()
    if (!piece.length) piece.push(Math.round(ax + (bx - ax) * from), Math.round(ay + (by - ay) * from))
    piece.push(Math.round(ax + (bx - ax) * to), Math.round(ay + (by - ay) * to))
    if (to < 1) flush()
  }
  flush()
  return out
}

/** The centre of gravity of a ring. */
function middleOf(ring: Int32Array): Int32Array {
  let sum = 0
  let x = 0
  let y = 0
  for (let i = 0, j = ring.length - 2; i < ring.length; j = i, i += 2) {
    const cross = ring[j]! * ring[i + 1]! - ring[i]! * ring[j + 1]!
    sum += cross
    x += (ring[i]! + ring[j]!) * cross
    y += (ring[i + 1]! + ring[j + 1]!) * cross
  }
  return sum ? Int32Array.of(x / (3 * sum), y / (3 * sum)) : ring.slice(0, 2)
}
