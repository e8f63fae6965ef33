// Puts together the lines that tiles and sources have cut: one street is one line to be lettered.

import type { Lettering } from './lettering'

/** Ends so near to each other, as a share of a tile, are one; a tile's edge is rounded on both its sides. */
const REACH = 2 / 4096

/**
 * Lines of one class and name joined where just two of them meet; everything else as it is. Yields where it may be
 * interrupted.
 */
export function* joined(all: Lettering[]): Generator<void, Lettering[], void> {
  const out: Lettering[] = []
  const groups = new Map<string, Lettering[]>()
  for (const l of all) {
    if (!l.line) {
      out.push(l)
      continue
    }
    const key = `${l.class}\n${l.name}`
    const group = groups.get(key)
    if (group) group.push(l)
    else groups.set(key, [l])
  }
  for (const group of groups.values()) {
    if (group.length === 1) out.push(group[0]!)
    else out.push(...chains(group))
    yield
  }
  return out
}

function chains(group: Lettering[]): Lettering[] {
  const reach = REACH * group[0]!.tile
  const cells = new Map<string, number[]>()
  const ends: [number, number][][] = group.map((l) => [
    [l.points[0]!, l.points[1]!],
    [l.points[l.points.length - 2]!, l.points[l.points.length - 1]!],
  ])
  const cell = (x: number, y: number) => `${x},${y}`
  ends.forEach((pair, i) =>
    pair.forEach(([x, y], k) => {
      const key = cell(Math.floor(x / reach), Math.floor(y / reach))
      cells.set(key, [...(cells.get(key) ?? []), 2 * i + k])
    }),
  )
  const at = ([x, y]: [number, number]): number[] => {
    const found: number[] = []
    for (let dx = -1; dx <= 1; dx++)
      for (let dy = -1; dy <= 1; dy++)
        for (const e of cells.get(cell(Math.floor(x / reach) + dx, Math.floor(y / reach) + dy)) ?? []) {
          const [ex, ey] = ends[e >> 1]![e & 1]!
          if (Math.hypot(ex - x, ey - y) <= reach) found.push(e)
        }
    return found
  }
  const used = new Set<number>()
  const out: Lettering[] = []
  group.forEach((l, i) => {
    if (used.has(i)) return
    used.add(i)
    const parts: { line: number; back: boolean }[] = [{ line: i, back: false }]
    // Forwards from the last end, then backwards from the first.
    for (const side of [1, 0]) {
      let end = 2 * i + side
      for (;;) {
        const there = at(ends[end >> 1]![end & 1]!)
        const next = there.find((e) => !used.has(e >> 1))
        if (there.length !== 2 || next === undefined) break
        used.add(next >> 1)
        if (side) parts.push({ line: next >> 1, back: (next & 1) === 1 })
        else parts.unshift({ line: next >> 1, back: (next & 1) === 0 })
        end = next ^ 1
      }
    }
    if (parts.length === 1) {
      out.push(l)
      return
    }
    const points: number[] = []
    for (const { line, back } of parts) {
      const p = group[line]!.points
      for (let k = points.length ? 2 : 0; k < p.length; k += 2) {
        const from = back ? p.length - 2 - k : k
        points.push(p[from]!, p[from + 1]!)
      }
    }
    out.push({
      ...l,
      id: Math.min(...parts.map((p) => group[p.line]!.id)),
      rank: Math.max(...parts.map((p) => group[p.line]!.rank)),
      points: Float64Array.from(points),
    })
  })
  return out
}
