// Imagery of one's own: tiles that the server fetches from a source. Few are asked for at a time, so that a source that
// hangs keeps nothing else waiting, and what fails is told once.

import type { Camera } from '../chart/camera'
import type { Layer } from '../chart/chart'

export interface Source {
  id: string
  name: string
  min_zoom: number
  max_zoom: number
  tile_size: number
  opacity: number
}

interface Piece {
  bitmap: ImageBitmap | null
  state: 'waiting' | 'asked' | 'there' | 'none' | 'failed'
  used: number
  retryAt: number
}

const AT_ONCE = 2
const MOST_KEPT = 200
const RETRY_MS = 20_000

export class ImageryTiles implements Layer {
  readonly order = 5
  private pieces = new Map<string, Piece>()
  private queue: string[] = []
  private asking = 0
  private clock = 0
  private list: Source[] = []

  /** changed is called when something has come, failing with what is wrong with a source, null when it works again. */
  constructor(
    private readonly changed: () => void,
    private readonly failing: (source: Source, reason: string | null) => void,
  ) {}

  get sources(): Source[] {
    return this.list
  }

  set sources(list: Source[]) {
    const changed = new Set(list.map((s) => JSON.stringify({ ...s, opacity: 0 })))
    for (const s of this.list)
      if (!changed.has(JSON.stringify({ ...s, opacity: 0 })))
        for (const [key, p] of this.pieces) if (key.startsWith(s.id)) this.forget(key, p)
    this.list = list
    this.queue = this.queue.filter((key) => list.some((s) => key.startsWith(s.id)))
  }

  private forget(key: string, p: Piece): void {
    p.bitmap?.close()
    this.pieces.delete(key)
  }

  /** Whether something is still on its way, for tests. */
  get waiting(): boolean {
    return this.asking > 0 || this.queue.length > 0
  }

  ground(ctx: CanvasRenderingContext2D, camera: Camera): void {
    this.clock++
    this.queue = []
    for (const s of this.list) {
      ctx.save()
      ctx.globalAlpha = s.opacity
      this.one(ctx, camera, s)
      ctx.restore()
    }
    this.next()
    if (this.pieces.size > MOST_KEPT) {
      const old = [...this.pieces]
        .filter(([, p]) => p.used < this.clock && p.state !== 'asked')
        .sort((a, b) => a[1].used - b[1].used)
      for (const [key, p] of old.slice(0, this.pieces.size - MOST_KEPT)) this.forget(key, p)
    }
  }

  private one(ctx: CanvasRenderingContext2D, camera: Camera, s: Source): void {
    const z = Math.max(s.min_zoom, Math.min(s.max_zoom, Math.round(camera.view.zoom + Math.log2(512 / s.tile_size))))
    const n = 2 ** z
    const corners = [
      [0, 0],
      [camera.width, 0],
      [0, camera.height],
      [camera.width, camera.height],
    ].map(([x, y]) => camera.screenToWorld({ x: x!, y: y! }))
    const [west, east] = [Math.min(...corners.map((c) => c.x)), Math.max(...corners.map((c) => c.x))]
    const [north, south] = [
      Math.max(0, Math.min(...corners.map((c) => c.y))),
      Math.min(1 - 1e-12, Math.max(...corners.map((c) => c.y))),
    ]
    if ((east - west) * n * (south - north) * n > 600) return // more than can be asked for
    const missing: { key: string; far: number }[] = []
    for (let y = Math.floor(north * n); y <= Math.floor(south * n); y++)
      for (let column = Math.floor(west * n); column <= Math.floor(east * n); column++) {
        const x = ((column % n) + n) % n
        const key = `${s.id}/${z}/${x}/${y}`
        const p = this.piece(key)
        if (p.bitmap) this.put(ctx, camera, p.bitmap, column / n, y / n, 1 / n, [0, 0, 1])
        else if (p.state === 'waiting' || (p.state === 'failed' && performance.now() > p.retryAt))
          missing.push({ key, far: Math.hypot((column + 0.5) / n - camera.centre.x, (y + 0.5) / n - camera.centre.y) })
        if (!p.bitmap && p.state !== 'none') this.standIn(ctx, camera, s, z, column, y)
      }
    this.queue.push(...missing.sort((a, b) => a.far - b.far).map((m) => m.key))
  }

  private piece(key: string): Piece {
    let p = this.pieces.get(key)
    if (!p) this.pieces.set(key, (p = { bitmap: null, state: 'waiting', used: 0, retryAt: 0 }))
    p.used = this.clock
    return p
  }

  /** A part of a wider tile, until the right one is there. */
  private standIn(
    ctx: CanvasRenderingContext2D,
    camera: Camera,
    s: Source,
    z: number,
    column: number,
    y: number,
  ): void {
    for (let up = 1; up <= 4 && z - up >= s.min_zoom; up++) {
      const n = 2 ** (z - up)
      const wide = Math.floor(column / 2 ** up)
      const p = this.pieces.get(`${s.id}/${z - up}/${((wide % n) + n) % n}/${Math.floor(y / 2 ** up)}`)
      if (!p?.bitmap) continue
      p.used = this.clock
      const share = 1 / 2 ** up
      this.put(ctx, camera, p.bitmap, column / 2 ** z, y / 2 ** z, 1 / 2 ** z, [
        (column - wide * 2 ** up) * share,
        (y % 2 ** up) * share,
        share,
      ])
      return
    }
  }

  /** Draws a square of a bitmap, as shares of its side, onto a square of the world. */
  private put(
    ctx: CanvasRenderingContext2D,
    camera: Camera,
    bitmap: ImageBitmap,
    x: number,
    y: number,
    side: number,
    [sx, sy, share]: [number, number, number],
  ): void {
    const px = (v: number) => v * bitmap.width
    ctx.save()
    ctx.translate(camera.width / 2, camera.height / 2)
    ctx.rotate((-camera.view.rotation * Math.PI) / 180)
    const left = (x - camera.centre.x) * camera.size
    const top = (y - camera.centre.y) * camera.size
    const [l, t, r, b] = camera.view.rotation
      ? [left, top, left + side * camera.size, top + side * camera.size]
      : [left, top, left + side * camera.size, top + side * camera.size].map(Math.round)
    ctx.drawImage(bitmap, px(sx), px(sy), px(share), px(share), l!, t!, r! - l!, b! - t!)
    ctx.restore()
  }

  private next(): void {
    while (this.asking < AT_ONCE) {
      const key = this.queue.shift()
      if (!key) return
      const p = this.pieces.get(key)
      const source = this.list.find((s) => key.startsWith(s.id))
      if (!p || !source || p.state === 'asked') continue
      p.state = 'asked'
      this.asking++
      void this.fetch(key, p, source).finally(() => {
        this.asking--
        this.changed()
        this.next()
      })
    }
  }

  private async fetch(key: string, p: Piece, source: Source): Promise<void> {
    const failed = (reason: string) => {
      p.state = 'failed'
      p.retryAt = performance.now() + RETRY_MS
      this.failing(source, reason)
    }
    try {
      const response = await fetch(`/v1/imagery/${key}`)
      if (response.status === 200) {
        p.bitmap = await createImageBitmap(await response.blob())
        p.state = 'there'
        this.failing(source, null)
      } else if (response.status === 204 || response.status === 404) p.state = 'none'
      else failed(((await response.json()) as { detail?: string }).detail ?? `the server answers ${response.status}`)
    } catch {
      failed('the server does not answer')
    }
  }
}
