// A worker that fetches, decodes and draws tiles, and hands back bitmaps and what is to be lettered.

import ground from '@style/ground.json'
import { EXTENT, Shape, decode, type Layer } from './decode'
import { letteringOf, type Lettering } from './lettering'
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
  /** The token to ask with, where no cookie speaks for the page. */
  token?: string
  /** Only what is to be lettered is wanted now; the picture is asked for later. */
  letteringOnly?: boolean
}

export interface TileAnswer {
  key: string
  letteringOnly?: boolean
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

async function fetched(url: string, token?: string): Promise<ArrayBuffer | null> {
  if (fetching >= MOST_FETCHED) await new Promise<void>((go) => waiting.push(go))
  fetching++
  try {
    const headers = token ? { Authorization: `Bearer ${token}` } : undefined
    const answer = await fetch(url, { priority: 'low', headers }) // what the page asks for goes before it
    if (answer.status === 204) return null
    if (!answer.ok) throw new Error(`the tile could not be loaded (${answer.status})`)
    return await answer.arrayBuffer()
  } finally {
    fetching--
    waiting.shift()?.()
  }
}

const layersOf = remembering(async (r): Promise<Layer[]> => {
  const data = await fetched(r.url, r.token)
  return data ? decode(data) : []
})

const heightsOf = remembering(async (r): Promise<Heights | null> => {
  const data = await fetched(`${r.url}/heights`, r.token)
  return data && decodeHeights(data, r.z, r.y)
})

/** Draws a made-up tile that has something of everything, so that the first real one finds the works warm. */
function warmUp(sheet: Sheet): Sheet {
  const part = Int32Array.of(100, 100, 900, 160, 840, 900, 500, 700, 140, 860)
  const layer = (name: string, shape: Shape): Layer => ({
    class: name,
    shape,
    features: [{ id: 1, name: '', rank: 65, flags: 0, parts: [part] }],
  })
  const layers = [
    ...['land', 'building', ...Object.keys(style.areas)].map((name) => layer(name, Shape.Area)),
    ...Object.keys(style.lines).map((name) => layer(name, Shape.Line)),
  ]
  const manner = style.styles.plain!
  drawTile(sheet, EXTENT / 8, {
    layers,
    heights: null,
    style,
    manner,
    palette: paletteOf(style, 'plain', 'day'),
    time: 'day',
    z: 14,
    x: 1,
    y: 1,
    zoom: 14,
    ratio: 1,
  })
  return sheet
}

/** What is on its way for its lettering only. */
const reading = new Set<Promise<Layer[]>>()

const sheetOpened = Sheet.open().then(warmUp)

self.onmessage = async (event: MessageEvent<TileRequest>) => {
  const r = event.data
  const answer: TileAnswer = { key: r.key, letteringOnly: r.letteringOnly }
  try {
    const manner = style.styles[r.manner] ?? style.styles.plain!
    if (r.letteringOnly) {
      const read = layersOf(r)
      reading.add(read)
      answer.lettering = letteringOf(await read.finally(() => reading.delete(read)), style.labels, r)
      self.postMessage(answer)
      return
    }
    await Promise.allSettled([...reading]) // drawing takes long: what is to be lettered goes before it
    const [sheet, layers, heights] = await Promise.all([sheetOpened, layersOf(r), manner.shade ? heightsOf(r) : null])
    const began = performance.now()
    drawTile(sheet, r.size, {
      layers,
      heights,
      style,
      manner,
      palette: paletteOf(style, r.manner, r.time),
      time: r.time,
      z: r.z,
      x: r.x,
      y: r.y,
      zoom: r.zoom,
      ratio: r.ratio,
    })
    answer.bitmap = await createImageBitmap(new ImageData(sheet.pixels, r.size, r.size)) // takes a copy at once
    answer.ms = performance.now() - began
  } catch (e) {
    answer.error = e instanceof Error ? e.message : String(e)
  }
  self.postMessage(answer, answer.bitmap ? [answer.bitmap] : [])
}
