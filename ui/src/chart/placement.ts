// Where a picture lies that is placed by control points: an affine map of its pixels to the unit square of the world.

import { toWorld, type LatLng, type Spot } from './camera'

export interface Control {
  pixel: [number, number]
  at: LatLng
}

/** x = a·px + c·py + e, y = b·px + d·py + f on the unit square of the world. */
export type Affine = [a: number, b: number, c: number, d: number, e: number, f: number]

/** The placement by two or three control points (core/placement has the same), or what is wrong with them. */
export function placement(control: Control[]): Affine | string {
  const first = control[0] && toWorld(control[0].at)
  const world = control.map((c) => {
    const w = toWorld(c.at)
    return { x: w.x - Math.round(w.x - first!.x), y: w.y }
  })
  for (let i = 0; i < control.length; i++)
    for (let k = 0; k < i; k++) {
      if (Math.hypot(control[i]!.pixel[0] - control[k]!.pixel[0], control[i]!.pixel[1] - control[k]!.pixel[1]) < 1)
        return `Points ${k + 1} and ${i + 1} are the same pixel of the picture.`
      if (Math.hypot(world[i]!.x - world[k]!.x, world[i]!.y - world[k]!.y) < 1e-10)
        return `Points ${k + 1} and ${i + 1} have the same position.`
    }
  const [p, q, r] = control.map((c) => ({ x: c.pixel[0], y: c.pixel[1] }))
  const [s, t, v] = world
  if (!p || !q || !s || !t) return 'A picture is placed by two or three points.'
  let [a, b, c, d] = [0, 0, 0, 0]
  const [px, py, wx, wy] = [q.x - p.x, q.y - p.y, t.x - s.x, t.y - s.y]
  if (!r || !v) {
    const n = px * px + py * py
    a = d = (wx * px + wy * py) / n
    b = (wy * px - wx * py) / n
    c = -b
  } else {
    const [ux, uy, vx, vy] = [r.x - p.x, r.y - p.y, v.x - s.x, v.y - s.y]
    const flat = (x1: number, y1: number, x2: number, y2: number) =>
      Math.abs(x1 * y2 - x2 * y1) <
      0.02 * Math.max(x1 * x1 + y1 * y1, x2 * x2 + y2 * y2, (x1 - x2) ** 2 + (y1 - y2) ** 2)
    if (flat(px, py, ux, uy) || flat(wx, wy, vx, vy))
      return 'The three points lie in a line; move one of them aside, or use two.'
    const det = px * uy - ux * py
    a = (wx * uy - vx * py) / det
    c = (vx * px - wx * ux) / det
    b = (wy * uy - vy * py) / det
    d = (vy * px - wy * ux) / det
  }
  return [a, b, c, d, s.x - a * p.x - c * p.y, s.y - b * p.x - d * p.y]
}

/** Where on the unit square of the world a pixel lies. */
export const applied = ([a, b, c, d, e, f]: Affine, x: number, y: number): Spot => ({
  x: a * x + c * y + e,
  y: b * x + d * y + f,
})
