// A worker that fetches, decodes and draws tiles, and hands back bitmaps and what is to be lettered.

import ground from '@style/ground.json'
import { EXTENT, Shape, decode, type Layer } from './decode'
import { drawTile } from './raster'
import { Sheet } from './sheet'
import { decodeHeights, type Heights } from './relief'
import { paletteOf, type GroundStyle, type Time } from './style'

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
  /** The name of the ground style. */
  manner: string
  time: Time
  size: number
  /** Only what is to be lettered is wanted now; the picture is asked for later. */
  letteringOnly?: boolean
}

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

export interface TileAnswer {
  key: string
  bitmap?: ImageBitmap
  lettering?: Lettering[]
  error?: string
  /** Milliseconds that drawing took, fetching and decoding apart. */
  ms?: number
}

const MOST_DECODED = 80

/** Keeps what was loaded last; what failed is asked for again. */
function remembering<T>(load: (r: TileRequest) => Promise<T>): (r: TileRequest) => Promise<T> {
  const kept = new Map<string, Promise<T>>()
  return (r) => {
    let value = kept.get(r.url)
    if (!value) {
      value = load(r)
      value.catch(() => kept.delete(r.url))
      kept.set(r.url, value)
      for (const old of kept.keys()) {
        if (kept.size <= MOST_DECODED) break
        kept.delete(old)
      }
    }
    return value
  }
}

/** So many tiles are fetched at a time: the server is often on the same machine, and the map is moving meanwhile. */
const MOST_FETCHED = 2
let fetching = 0
const waiting: (() => void)[] = []

async function fetched(url: string): Promise<ArrayBuffer | null> {
  if (fetching >= MOST_FETCHED) await new Promise<void>((go) => waiting.push(go))
  fetching++
  try {
    const answer = await fetch(url, { priority: 'low' }) // what the page asks for goes before it
    if (answer.status === 204) return null
    if (!answer.ok) throw new Error(`the tile could not be loaded (${answer.status})`)
    return await answer.arrayBuffer()
  } finally {
    fetching--
    waiting.shift()?.()
  }
}

const layersOf = remembering(async (r): Promise<Layer[]> => {
  const data = await fetched(r.url)
  return data ? decode(data) : []
})

const heightsOf = remembering(async (r): Promise<Heights | null> => {
  const data = await fetched(`${r.url}/heights`)
  return data && decodeHeights(data, r.z, r.y)
})

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
      if (!f.name || (layer.class === 'contour' && r.zoom < 11.9)) continue
      const add = (part: Int32Array, line: boolean) => out.push({ id: f.id, class: layer.class, name: f.name, rank: f.rank, line, tile: 1 / n, points: world(part) })
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
    for (const [p, d] of [[ax, bx - ax], [EXTENT - ax, ax - bx], [ay, by - ay], [EXTENT - ay, ay - by]] as const) {
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

/** Draws a made-up tile that has something of everything, so that the first real one finds the works warm. */
function warmUp(sheet: Sheet): Sheet {
  const part = Int32Array.of(100, 100, 900, 160, 840, 900, 500, 700, 140, 860)
  const layer = (name: string, shape: Shape): Layer => ({ class: name, shape, features: [{ id: 1, name: '', rank: 65, flags: 0, parts: [part] }] })
  const layers = [...['land', 'building', ...Object.keys(style.areas)].map((name) => layer(name, Shape.Area)), ...Object.keys(style.lines).map((name) => layer(name, Shape.Line))]
  const manner = style.styles.plain!
  drawTile(sheet, EXTENT / 8, { layers, heights: null, style, manner, palette: paletteOf(style, 'plain', 'day'), time: 'day', z: 14, x: 1, y: 1, zoom: 14, ratio: 1 })
  return sheet
}

/** What is on its way for its lettering only. */
const reading = new Set<Promise<Layer[]>>()

const sheetOpened = Sheet.open().then(warmUp)

self.onmessage = async (event: MessageEvent<TileRequest>) => {
  const r = event.data
  const answer: TileAnswer = { key: r.key }
  try {
    const manner = style.styles[r.manner] ?? style.styles.plain!
    if (r.letteringOnly) {
      const read = layersOf(r)
      reading.add(read)
      answer.lettering = letteringOf(await read.finally(() => reading.delete(read)), r)
      return self.postMessage(answer)
    }
    await Promise.allSettled([...reading]) // drawing takes long: what is to be lettered goes before it
    const [sheet, layers, heights] = await Promise.all([sheetOpened, layersOf(r), manner.shade ? heightsOf(r) : null])
    const began = performance.now()
    drawTile(sheet, r.size, { layers, heights, style, manner, palette: paletteOf(style, r.manner, r.time), time: r.time, z: r.z, x: r.x, y: r.y, zoom: r.zoom, ratio: r.ratio })
    answer.bitmap = await createImageBitmap(new ImageData(sheet.pixels, r.size, r.size)) // takes a copy at once
    answer.ms = performance.now() - began
    answer.lettering = letteringOf(layers, r)
  } catch (e) {
    answer.error = e instanceof Error ? e.message : String(e)
  }
  self.postMessage(answer, answer.bitmap ? [answer.bitmap] : [])
}
