// A worker that fetches, decodes and draws tiles, and hands back bitmaps and what is to be lettered.

import ground from '@style/ground.json'
import { EXTENT, Shape, decode, type Layer } from './decode'
import { drawTile } from './raster'
import { type GroundStyle } from './style'

const style = ground as unknown as GroundStyle

export interface TileRequest {
  key: string
  url: string
  z: number
  x: number
  y: number
  /** The zoom that it is drawn for, between z and z + 1. */
  zoom: number
  ratio: number
  palette: string
  size: number
}

/** Something to letter: a name with the points it belongs to, as x, y, x, y … on the unit square of the world. */
export interface Lettering {
  id: number
  class: string
  name: string
  rank: number
  line: boolean
  points: Float64Array
}

export interface TileAnswer {
  key: string
  bitmap?: ImageBitmap
  lettering?: Lettering[]
  error?: string
}

const decoded = new Map<string, Promise<Layer[]>>()
const MOST_DECODED = 200

async function load(url: string): Promise<Layer[]> {
  const answer = await fetch(url)
  if (answer.status === 204) return []
  if (!answer.ok) throw new Error(`the tile could not be loaded (${answer.status})`)
  return decode(await answer.arrayBuffer())
}

function layersOf(url: string): Promise<Layer[]> {
  let layers = decoded.get(url)
  if (!layers) {
    layers = load(url)
    layers.catch(() => decoded.delete(url))
    decoded.set(url, layers)
    for (const old of decoded.keys()) {
      if (decoded.size <= MOST_DECODED) break
      decoded.delete(old)
    }
  }
  return layers
}

function letteringOf(layers: Layer[], r: TileRequest): Lettering[] {
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
    if (!style.labels[layer.class]) continue
    for (const f of layer.features) {
      if (!f.name) continue
      const add = (part: Int32Array, line: boolean) => out.push({ id: f.id, class: layer.class, name: f.name, rank: f.rank, line, points: world(part) })
      if (layer.shape === Shape.Point) {
        const [x, y] = f.parts[0]!
        if (x! >= 0 && x! < EXTENT && y! >= 0 && y! < EXTENT) add(f.parts[0]!, false)
      } else if (layer.shape === Shape.Line) {
        for (const part of f.parts) add(part, true)
      } else {
        const middle = middleOf(f.parts[0]!)
        if (middle[0]! >= 0 && middle[0]! < EXTENT && middle[1]! >= 0 && middle[1]! < EXTENT) add(middle, false)
      }
    }
  }
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

self.onmessage = async (event: MessageEvent<TileRequest>) => {
  const r = event.data
  const answer: TileAnswer = { key: r.key }
  try {
    const layers = await layersOf(r.url)
    const canvas = new OffscreenCanvas(r.size, r.size)
    drawTile(canvas, { layers, style, palette: style.palettes[r.palette]!, zoom: r.zoom, ratio: r.ratio })
    answer.bitmap = canvas.transferToImageBitmap()
    answer.lettering = letteringOf(layers, r)
  } catch (e) {
    answer.error = e instanceof Error ? e.message : String(e)
  }
  self.postMessage(answer, answer.bitmap ? [answer.bitmap] : [])
}
