// Small repeating drawings that cover areas: trees, tufts, furrows, the hatching of buildings.

import type { Sheet } from './sheet'
import type { AreaStyle } from './style'

type Kind = NonNullable<AreaStyle['pattern']>

/** A pattern repeats after so many pixels. */
const MARK = 24

/** Lines as x, y, x, y … and dots as x, y, radius, in a square of MARK pixels. */
interface Mark {
  width: number
  lines?: number[][]
  dots?: [number, number, number][]
}

/** One repeat of each pattern, c by c pixels. */
const cells = new Map<string, Uint8Array>()
const covers = new Map<string, Uint8Array>()
const MOST_COVERS = 24

/**
 * How opaque a pattern is at each pixel of a sheet, 0 to 255; the sheet must have nothing entered. x and y are the
 * sheet's place among those of its size, so that the pattern goes on from one to the next.
 */
export function patternOf(
  kind: Kind,
  sheet: Sheet,
  ratio: number,
  x: number,
  y: number,
  way: 0 | 1 | 2 = 0,
): Uint8Array {
  const c = Math.round(MARK * ratio)
  const { size } = sheet
  const [ox, oy] = [(x * size) % c, (y * size) % c]
  const key = `${kind} ${way} ${ratio} ${size} ${ox} ${oy}`
  let cover = covers.get(key)
  if (!cover) {
    let cell = cells.get(`${kind} ${way} ${ratio}`)
    if (!cell) cells.set(`${kind} ${way} ${ratio}`, (cell = draw(markOf(kind, way), sheet, c)))
    cover = new Uint8Array(size * size)
    for (let row = 0; row < size; row++) {
      const from = ((row + oy) % c) * c
      const line = cover.subarray(row * size, (row + 1) * size)
      // One repeat from where the sheet begins, then doubled along the row.
      for (let k = 0; k < Math.min(c, size); k++) line[k] = cell[from + ((k + ox) % c)]!
      for (let done = c; done < size; done *= 2) line.copyWithin(done, 0, Math.min(done, size - done))
    }
    if (covers.size >= MOST_COVERS) covers.delete(covers.keys().next().value!)
    covers.set(key, cover)
  }
  return cover
}

/** Draws a repeat with those round it, in the sheet's upper left corner. */
function draw(mark: Mark, sheet: Sheet, c: number): Uint8Array {
  const k = c / MARK
  for (let row = -1; row <= 1; row++)
    for (let column = -1; column <= 1; column++) {
      const put = (points: number[]) => points.map((v, i) => (v + MARK * (i % 2 ? row : column)) * k)
      for (const line of mark.lines ?? []) sheet.line(put(line), 1, mark.width * k)
      for (const [x, y, r] of mark.dots ?? []) {
        const ring: number[] = []
        for (let i = 0; i < 10; i++) ring.push(x + r * Math.cos((i * Math.PI) / 5), y + r * Math.sin((i * Math.PI) / 5))
        sheet.area([put(ring)], 1)
      }
    }
  const all = sheet.mask()
  const cell = new Uint8Array(c * c)
  for (let row = 0; row < c; row++) cell.set(all.subarray(row * sheet.size, row * sheet.size + c), row * c)
  return cell
}

function markOf(kind: Kind, way: 0 | 1 | 2): Mark {
  const lines: number[][] = []
  switch (kind) {
    case 'hatch':
      for (let i = 0; i < MARK; i += 4) lines.push([i, MARK, i + MARK, 0])
      return { width: 0.8, lines }
    case 'rows':
      if (way === 2) for (let i = 0; i < MARK; i += 8) lines.push([i, 0, i + MARK, MARK])
      else for (let v = 3; v < MARK; v += 6) lines.push(way ? [v, 0, v, MARK] : [0, v, MARK, v])
      return { width: 0.7, lines }
    case 'tufts':
      for (const [x, y] of [
        [5, 7],
        [17, 19],
      ] as const)
        lines.push([x - 2.5, y - 2, x - 1, y + 1], [x, y - 3, x, y + 1], [x + 2.5, y - 2, x + 1, y + 1])
      return { width: 0.9, lines }
    case 'heath':
      for (const [x, y] of [
        [4, 6],
        [16, 5],
        [10, 14],
        [21, 17],
        [5, 21],
      ] as const)
        lines.push([x - 1.8, y - 1.6, x, y, x + 1.8, y - 1.6])
      return { width: 0.9, lines }
    case 'orchard':
      return {
        width: 0,
        dots: [4, 12, 20].flatMap((x) => [4, 12, 20].map((y): [number, number, number] => [x, y, 1.3])),
      }
    case 'trees':
      for (const [x, y] of [
        [6, 7],
        [18, 19],
        [19, 5],
        [6, 18],
      ] as const) {
        const crown: number[] = []
        for (let a = 0.75; a <= 2.26; a += 0.15)
          crown.push(x + 2.3 * Math.cos(a * Math.PI), y + 2.3 * Math.sin(a * Math.PI))
        lines.push(crown, [x, y + 1.2, x, y + 3])
      }
      return { width: 0.9, lines }
    case 'stipple':
      return {
        width: 0,
        dots: (
          [
            [4, 5],
            [12, 3],
            [19, 8],
            [8, 12],
            [15, 15],
            [3, 19],
            [21, 20],
            [11, 21],
          ] as const
        ).map(([x, y]): [number, number, number] => [x, y, 0.75]),
      }
  }
}
