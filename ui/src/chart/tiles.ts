// The tiles at hand: asks workers for the ones in view and keeps the bitmaps.

import { TILE, type Camera } from './camera'
import TileWorker from './worker?worker'
import type { Time } from './style'
import { CONTOURS_NAMED, type Lettering } from './lettering'
import type { TileAnswer, TileRequest } from './worker'

export interface Tile {
  z: number
  x: number
  y: number
  bitmap?: ImageBitmap
  failed: boolean
  used: number
}

/** A tile that is drawn, at a column of the world that may lie beyond its edge. */
export interface Covering {
  tile: Tile
  column: number
}

/** A worker takes a while to start: the first one starts with the page, before it is known what it will draw. */
const spare: Worker[] = [new TileWorker()]
const MOST_WORKERS = Math.max(1, Math.min(3, navigator.hardwareConcurrency || 2))
/** While the map moves, what is left to it of the machine. */
const MOVING_WORKERS = (navigator.hardwareConcurrency || 2) > 2 ? MOST_WORKERS - 1 : 1
/** So many tiles lie with a worker at a time; the others wait here, where they may still be dropped. */
const AT_ONCE = 2

const MAX_TILE_ZOOM = 19
/** Bitmaps out of view are kept up to so many pixels together, four bytes each. */
const MOST_PIXELS = 40_000_000
const MOST_TILES = 300
const RETRY_MS = 2000

/** Zooms at which bitmaps are drawn lie a quarter apart; the view comes to rest on one of them. */
export const ZOOM_STEP = 0.25

/**
 * The zoom of the tiles that are drawn for a step, and the column of the world itself for one that may lie beyond its
 * edge.
 */
const tileZoom = (step: number): number => Math.max(0, Math.min(MAX_TILE_ZOOM, Math.floor(step)))
const wrapped = (column: number, z: number): number => ((column % 2 ** z) + 2 ** z) % 2 ** z

export class Tiles {
  private tiles = new Map<string, Tile>()
  private readonly workers: { worker: Worker; asked: number }[] = []
  /** The token to ask with, where no cookie speaks for the page. */
  token?: string
  private queue: { tile: Tile; request: TileRequest }[] = []
  /** The map is moving: one worker leaves the others' share of the machine to it. */
  moving = false
  private clock = 0
  /** The zoom, in steps, of the tiles asked for last. */
  private step = NaN
  /**
   * What is to be lettered on tiles, however they are drawn; it comes before their bitmaps. Undefined while it is asked
   * for.
   */
  private readonly letterings = new Map<string, Lettering[] | undefined>()
  /** The tiles of the view that the map flies to. */
  private aimed: Tile[] = []
  version = ''
  manner = 'plain'
  time: Time = 'day'
  /** How long workers took for the tiles drawn last, in milliseconds. */
  readonly took: number[] = []

  /** changed is called when a tile has come or failed, lettered when it is known what is to be lettered on one. */
  constructor(
    private readonly changed: () => void,
    private readonly lettered: () => void,
  ) {
    this.employ(spare.pop() ?? new TileWorker())
  }

  private employ(worker: Worker): void {
    const w = { worker, asked: 0 }
    this.workers.push(w)
    worker.onmessage = (e: MessageEvent<TileAnswer>) => {
      if (e.data.letteringOnly) return this.takeLettering(e.data)
      w.asked--
      this.take(e.data)
      this.hand()
    }
  }

  /** The first map is there: the other workers start now, when they keep nobody waiting. */
  grow(): void {
    while (this.workers.length < MOST_WORKERS) this.employ(new TileWorker())
  }

  dispose(): void {
    for (const w of this.workers) w.worker.terminate()
    for (const t of this.tiles.values()) t.bitmap?.close()
  }

  private take(answer: TileAnswer): void {
    const tile = this.tiles.get(answer.key)
    if (!tile) {
      answer.bitmap?.close()
      return
    }
    if (answer.ms !== undefined && this.took.push(answer.ms) > 500) this.took.shift()
    tile.failed = !!answer.error
    tile.bitmap = answer.bitmap
    if (answer.error) setTimeout(() => this.tiles.delete(answer.key) && this.changed(), RETRY_MS)
    this.changed()
  }

  private takeLettering(answer: TileAnswer): void {
    if (answer.lettering) this.letterings.set(answer.key, answer.lettering)
    else this.letterings.delete(answer.key) // it is asked for again with the tile
    this.lettered()
  }

  /**
   * The map flies to a view: its tiles are asked for now, so that they are there when it arrives. Null when it flies no
   * longer.
   */
  aimAt(camera: Camera | null, ratio: number): void {
    this.aimed = []
    if (!camera || !this.version) return
    this.moving = true
    const step = Math.round(camera.view.zoom / ZOOM_STEP) * ZOOM_STEP
    const z = tileZoom(step)
    for (const { column, y } of this.inView(camera, z)) this.aimed.push(this.ask(z, wrapped(column, z), y, step, ratio))
    this.hand()
  }

  /** The tiles of a view whose lettering is known, and whether it is known of all. */
  named(camera: Camera, ratio: number): { tiles: { lettering: Lettering[] }[]; all: boolean } {
    const step = Math.round(camera.view.zoom / ZOOM_STEP) * ZOOM_STEP
    const z = tileZoom(step)
    const tiles: { lettering: Lettering[] }[] = []
    let all = true
    for (const { column, y } of this.inView(camera, z)) {
      const lettering = this.letterings.get(this.letteringKey(z, wrapped(column, z), y, step))
      if (lettering) tiles.push({ lettering })
      else if (!this.tiles.get(this.key(z, wrapped(column, z), y, step, ratio))?.failed) all = false
    }
    return { tiles, all }
  }

  /**
   * The tiles that cover the view, each with its bitmap or what can stand in for it meanwhile. While the map is moving
   * the zoom of the last ones will do as long as it is not far off, so that nothing is drawn that is gone again at
   * once.
   */
  cover(camera: Camera, ratio: number, moving: boolean): Covering[] {
    if (!this.version) return []
    this.clock++
    const off = camera.view.zoom - this.step
    const step = moving && off > -0.6 && off < 1.1 ? this.step : Math.round(camera.view.zoom / ZOOM_STEP) * ZOOM_STEP
    this.step = step
    const z = tileZoom(step)
    const out: Covering[] = []
    for (const t of this.aimed) t.used = this.clock
    const standIns = new Map<string, Covering>()
    for (const { column, y } of this.inView(camera, z)) {
      const x = wrapped(column, z)
      const there = this.tiles.get(this.key(z, x, y, step, ratio))
      const others = there?.bitmap ? [] : this.standIns(z, column, y)
      // On a flight what is drawn on the way is gone again at once: anything that can stand in will do.
      const tile = there || !(this.aimed.length && others.length) ? this.ask(z, x, y, step, ratio) : null
      if (tile?.bitmap) out.push({ tile, column })
      else for (const s of others) standIns.set(`${s.tile.z}/${s.column}/${s.tile.y}`, s)
    }
    // What is out of view before a worker had it is not drawn at all.
    this.queue = this.queue.filter(({ tile, request }) => tile.used === this.clock || !this.tiles.delete(request.key))
    this.hand()
    this.evict()
    return [...[...standIns.values()].sort((a, b) => a.tile.z - b.tile.z), ...out]
  }

  /** Whether every tile in view is there. */
  get waiting(): boolean {
    for (const t of this.tiles.values()) if (t.used === this.clock && !t.bitmap && !t.failed) return true
    return false
  }

  private *inView(camera: Camera, z: number): Generator<{ column: number; y: number }> {
    const n = 2 ** z
    const corners = [
      [0, 0],
      [camera.width, 0],
      [0, camera.height],
      [camera.width, camera.height],
    ].map(([x, y]) => camera.screenToWorld({ x: x!, y: y! }))
    const xs = corners.map((c) => c.x * n)
    const ys = corners.map((c) => c.y * n)
    const found: { column: number; y: number; far: number }[] = []
    for (let y = Math.max(0, Math.floor(Math.min(...ys))); y <= Math.min(n - 1, Math.floor(Math.max(...ys))); y++)
      for (let column = Math.floor(Math.min(...xs)); column <= Math.floor(Math.max(...xs)); column++)
        found.push({ column, y, far: Math.hypot(column + 0.5 - camera.centre.x * n, y + 0.5 - camera.centre.y * n) })
    yield* found.sort((a, b) => a.far - b.far)
  }

  private get look(): string {
    return `${this.version}/${this.manner}/${this.time}/`
  }

  private key(z: number, x: number, y: number, step: number, ratio: number): string {
    return `${this.look}${z}/${x}/${y}/${step}/${ratio}`
  }

  private ask(z: number, x: number, y: number, step: number, ratio: number): Tile {
    const key = this.key(z, x, y, step, ratio)
    const request: TileRequest = {
      key,
      z,
      x,
      y,
      zoom: step,
      ratio,
      manner: this.manner,
      time: this.time,
      token: this.token,
      url: `/v1/tiles/${this.version}/${z}/${x}/${y}`,
      size: Math.round(TILE * ratio * 2 ** (step - z)),
    }
    let tile = this.tiles.get(key)
    if (!tile) {
      tile = { z, x, y, failed: false, used: 0 }
      this.tiles.set(key, tile)
      this.queue.push({ tile, request })
    }
    this.askLettering(request) // it may have been forgotten before the bitmap was
    tile.used = this.clock
    return tile
  }

  private letteringKey(z: number, x: number, y: number, step: number): string {
    return `${this.version}/${z}/${x}/${y}/${step >= CONTOURS_NAMED}`
  }

  private askLettering(request: TileRequest): void {
    const { x, y, z } = request
    const key = this.letteringKey(z, x, y, request.zoom)
    const known = this.letterings.get(key)
    if (known || this.letterings.has(key)) {
      if (!known) return
      this.letterings.delete(key) // used last, it is forgotten last
      this.letterings.set(key, known)
      return
    }
    this.letterings.set(key, undefined)
    for (const old of this.letterings.keys()) {
      if (this.letterings.size <= MOST_TILES) break
      this.letterings.delete(old)
    }
    const workers = this.working
    workers[(x + 3 * y + z) % workers.length]!.worker.postMessage({ ...request, key, letteringOnly: true })
  }

  private get working(): { worker: Worker; asked: number }[] {
    return this.moving ? this.workers.slice(0, MOVING_WORKERS) : this.workers
  }

  /**
   * Hands what waits to the workers, each tile to the one that may know it from another zoom step, if that has room.
   */
  private hand(): void {
    const workers = this.working
    while (this.queue.length) {
      const { x, y, z } = this.queue[0]!.request
      const known = workers[(x + 3 * y + z) % workers.length]!
      const w = known.asked < AT_ONCE ? known : workers.find((w) => w.asked < AT_ONCE)
      if (!w) return
      w.asked++
      w.worker.postMessage(this.queue.shift()!.request)
    }
  }

  /** Whether every tile that a view shows is there, or has failed. */
  covers(camera: Camera, ratio: number): boolean {
    if (!this.version) return false
    const z = tileZoom(this.step)
    for (const { column, y } of this.inView(camera, z)) {
      const tile = this.tiles.get(this.key(z, wrapped(column, z), y, this.step, ratio))
      if (!tile?.bitmap && !tile?.failed) return false
    }
    return true
  }

  /** Bitmaps of other zooms over the same ground. */
  private standIns(z: number, column: number, y: number): Covering[] {
    const out: Covering[] = []
    for (const [key, t] of this.tiles) {
      if (!t.bitmap || !key.startsWith(this.look)) continue
      const up = z - t.z
      if (up < -2) continue
      const n = 2 ** t.z
      const wantColumn = up >= 0 ? Math.floor(column / 2 ** up) : null
      if (wantColumn !== null) {
        if (t.y === Math.floor(y / 2 ** up) && t.x === wrapped(wantColumn, t.z)) {
          t.used = this.clock
          out.push({ tile: t, column: wantColumn })
        }
      } else if (Math.floor(t.y / 2 ** -up) === y && Math.floor(t.x / 2 ** -up) === wrapped(column, z)) {
        t.used = this.clock
        out.push({ tile: t, column: t.x + Math.floor(column / 2 ** z) * n })
      }
    }
    return out
  }

  private evict(): void {
    const pixels = (t: Tile) => (t.bitmap ? t.bitmap.width * t.bitmap.height : 0)
    let total = 0
    for (const t of this.tiles.values()) total += pixels(t)
    if (total <= MOST_PIXELS && this.tiles.size < MOST_TILES) return
    const old = [...this.tiles].filter(([, t]) => t.used < this.clock).sort((a, b) => a[1].used - b[1].used)
    for (const [key, t] of old) {
      if (total <= MOST_PIXELS && this.tiles.size < MOST_TILES) return
      total -= pixels(t)
      t.bitmap?.close()
      this.tiles.delete(key)
    }
  }
}
