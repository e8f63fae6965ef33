// More places than a page can hold: the server sends those of each tile of the map, where they crowd as cairns.

import { api, unwrap } from '../api/client'
import type { Camera, LatLng } from '../chart/camera'
import { client } from './server'

export interface Mark {
  id: string
  at: LatLng
  count: number
  name: string
  category: string
  collection: string
  corners?: [LatLng, LatLng]
}

/** How long tiles that are not in view are kept, in milliseconds. */
const KEPT_MS = 60_000
const AT_ONCE = 8
const DEEPEST = 19

export class Crowd {
  private asking = new Set<string>()
  private wanted: string[] = []
  private only: string[] | null = null

  /** changed is called when the marks in view are others. */
  constructor(private readonly changed: (marks: Mark[]) => void) {}

  /** Only these categories are wanted; all of them without. */
  set categories(list: string[] | null) {
    if (JSON.stringify(list) !== JSON.stringify(this.only)) this.only = list
  }

  private key = (tile: string) => ['features', 'marks', this.only, tile]

  look(camera: Camera): void {
    const z = Math.max(0, Math.min(DEEPEST, Math.floor(camera.view.zoom)))
    const n = 2 ** z
    const corners = [
      [0, 0],
      [camera.width, 0],
      [0, camera.height],
      [camera.width, camera.height],
    ].map(([x, y]) => camera.screenToWorld({ x: x!, y: y! }))
    const [xs, ys] = [corners.map((c) => c.x * n), corners.map((c) => c.y * n)]
    const keys = new Set<string>()
    for (let y = Math.max(0, Math.floor(Math.min(...ys))); y <= Math.min(n - 1, Math.floor(Math.max(...ys))); y++)
      for (let column = Math.floor(Math.min(...xs)); column <= Math.floor(Math.max(...xs)); column++)
        keys.add(`${z}/${((column % n) + n) % n}/${y}`)
    this.wanted = [...keys]
    this.ask()
    this.show()
  }

  private ask(): void {
    for (const key of this.wanted) {
      if (this.asking.size >= AT_ONCE) return
      const state = client.getQueryState(this.key(key))
      if ((state?.data && !state.isInvalidated) || this.asking.has(key)) continue
      this.asking.add(key)
      // What is not in view is not asked for anew when something has changed.
      void client
        .fetchQuery({
          queryKey: this.key(key),
          queryFn: () => this.fetch(key),
          staleTime: Infinity,
          gcTime: KEPT_MS,
          retry: false,
        })
        .catch(() => {}) // the next look asks again
        .finally(() => {
          this.asking.delete(key)
          this.ask()
          if (!this.asking.size) this.show()
        })
    }
  }

  private async fetch(key: string): Promise<Mark[]> {
    const [z, x, y] = key.split('/').map(Number) as [number, number, number]
    const { marks } = await unwrap(
      api.GET('/v1/places/tiles/{z}/{x}/{y}', {
        params: { path: { z, x, y }, query: { category: this.only ?? undefined } },
      }),
    )
    return marks.map((m, i) => ({
      id: m.id ?? `${key}/${i}`,
      at: { lat: m.at[1]!, lng: m.at[0]! },
      count: m.count,
      name: m.name ?? '',
      category: m.category ?? '',
      collection: m.collection ?? '',
      corners: m.bbox && [
        { lat: m.bbox[1]!, lng: m.bbox[0]! },
        { lat: m.bbox[3]!, lng: m.bbox[2]! },
      ],
    }))
  }

  private show(): void {
    const marks = this.wanted.map((key) => client.getQueryData<Mark[]>(this.key(key)))
    const all = marks.flatMap((m) => m ?? [])
    if (all.length || marks.every((m) => m)) this.changed(all)
  }
}
