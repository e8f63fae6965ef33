// The shape of a path or an area: how it is read from a feature, written to one, and changed vertex by vertex. Nothing
// here changes what it is given: each step makes a new outline, so that any step can be taken back.

import type { Feature } from '../api/client'
import type { LatLng } from '../chart/camera'
import { wrapLng } from '../chart/camera'
import { round7 } from './format'

export type Outline =
  | { kind: 'path'; rings: [LatLng[]] }
  /** Rings are open: the last vertex is not the first again. The first ring is the outer one, the others are holes. */
  | { kind: 'area'; rings: LatLng[][] }
  | { kind: 'circle'; at: LatLng; radiusM: number }

export interface Vertex {
  ring: number
  i: number
}

export const LEAST = { path: 2, area: 3 }

type Position = number[]
const point = (c: Position): LatLng => ({ lat: c[1]!, lng: c[0]! })
const pair = (p: LatLng): Position => [round7(wrapLng(p.lng)), round7(p.lat)]

/** The outline of a feature; null for a place. */
export function outlineOf(f: Feature): Outline | null {
  const g = f.geometry
  const radiusM = (f.properties as { radius_m?: number }).radius_m
  if (g?.type === 'Point' && radiusM) return { kind: 'circle', at: point(g.coordinates as Position), radiusM }
  if (g?.type === 'LineString') return { kind: 'path', rings: [(g.coordinates as Position[]).map(point)] }
  if (g?.type === 'Polygon')
    return { kind: 'area', rings: (g.coordinates as Position[][]).map((r) => r.slice(0, -1).map(point)) }
  return null
}

export function geometryOf(o: Outline): NonNullable<Feature['geometry']> {
  if (o.kind === 'circle') return { type: 'Point', coordinates: pair(o.at) }
  if (o.kind === 'path') return { type: 'LineString', coordinates: o.rings[0].map(pair) }
  return { type: 'Polygon', coordinates: o.rings.filter((r) => r.length).map((r) => [...r, r[0]!].map(pair)) }
}

/** Whether it can be measured and kept. */
export function isWhole(o: Outline): boolean {
  return o.kind === 'circle' ? o.radiusM > 0 : o.rings.every((r) => r.length >= LEAST[o.kind])
}

/** All its vertices, for bringing it into view. */
export const verticesOf = (o: Outline): LatLng[] => (o.kind === 'circle' ? [o.at] : o.rings.flat())

function withRing(o: Outline, ring: number, change: (r: LatLng[]) => LatLng[]): Outline {
  return o.kind === 'circle' ? o : ({ ...o, rings: o.rings.map((r, n) => (n === ring ? change(r) : r)) } as Outline)
}

export const moveVertex = (o: Outline, { ring, i }: Vertex, to: LatLng): Outline =>
  withRing(o, ring, (r) => r.with(i, to))

/** Puts a vertex after another one; after -1 it becomes the first. */
export const insertVertex = (o: Outline, { ring, i }: Vertex, at: LatLng): Outline =>
  withRing(o, ring, (r) => r.toSpliced(i + 1, 0, at))

/** Takes a vertex away; a hole that has too few left goes as a whole, an outer ring or a path keeps its least. */
export function removeVertex(o: Outline, { ring, i }: Vertex): Outline {
  if (o.kind === 'circle') return o
  if (o.rings[ring]!.length > LEAST[o.kind]) return withRing(o, ring, (r) => r.toSpliced(i, 1))
  return ring > 0 ? ({ ...o, rings: o.rings.toSpliced(ring, 1) } as Outline) : o
}

/** Moves the whole of it by as much as one of its positions moves. */
export function shifted(o: Outline, from: LatLng, to: LatLng): Outline {
  const move = (p: LatLng) => ({ lat: p.lat + to.lat - from.lat, lng: wrapLng(p.lng + to.lng - from.lng) })
  return o.kind === 'circle' ? { ...o, at: move(o.at) } : ({ ...o, rings: o.rings.map((r) => r.map(move)) } as Outline)
}

/** Cuts a path in two at a vertex that both keep; null at its ends. */
export function splitPath(o: Outline, i: number): [Outline, Outline] | null {
  if (o.kind !== 'path' || i <= 0 || i >= o.rings[0].length - 1) return null
  return [
    { kind: 'path', rings: [o.rings[0].slice(0, i + 1)] },
    { kind: 'path', rings: [o.rings[0].slice(i)] },
  ]
}

/**
 * Cuts an area in two along the line between two vertices of its outer ring, which both keep; holes go with the side
 * that they lie in. null where there is nothing to cut.
 */
export function splitArea(o: Outline, i: number, k: number): [Outline, Outline] | null {
  if (o.kind !== 'area') return null
  const ring = o.rings[0]!
  const [a, b] = [Math.min(i, k), Math.max(i, k)]
  if (b - a < 2 || ring.length - (b - a) < 2) return null
  const one = ring.slice(a, b + 1)
  const other = [...ring.slice(b), ...ring.slice(0, a + 1)]
  const [inOne, inOther]: [LatLng[][], LatLng[][]] = [[], []]
  for (const hole of o.rings.slice(1)) (contains(one, hole[0]!) ? inOne : inOther).push(hole)
  return [
    { kind: 'area', rings: [one, ...inOne] },
    { kind: 'area', rings: [other, ...inOther] },
  ]
}

/** Whether a position lies in a ring, on the plane of longitude and latitude; for what is shown and offered only. */
export function contains(ring: LatLng[], p: LatLng): boolean {
  let inside = false
  ring.forEach((b, n) => {
    const a = ring[(n + ring.length - 1) % ring.length]!
    const [ax, bx] = [wrapLng(a.lng - p.lng), wrapLng(b.lng - p.lng)]
    if (
      a.lat > p.lat !== b.lat > p.lat &&
      Math.abs(ax - bx) < 180 &&
      0 < ax + ((p.lat - a.lat) / (b.lat - a.lat)) * (bx - ax)
    )
      inside = !inside
  })
  return inside
}
