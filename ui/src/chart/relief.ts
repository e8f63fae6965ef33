// Heights of a tile: reads their encoding (docs/tiles.md), tints the land by them and shades its slopes.

import { TILE } from './camera'
import type { Sheet } from './sheet'
import { channels } from './style'

export interface Heights {
  /** Cells to a side; there is a height at each of their corners and one ring of corners beyond. */
  cells: number
  /** Row by row from the north-west, cells + 3 to a row, in metres. */
  metres: Float32Array
  /** Metres to a cell. */
  cellM: number
}

/** Decodes heights; throws on bytes that are none. */
export function decodeHeights(data: ArrayBuffer, z: number, y: number): Heights {
  const bytes = new Uint8Array(data)
  if (bytes[0] !== 0x56 || bytes[1] !== 0x48 || bytes[2] !== 1)
    throw new Error('these are not heights of a version that this page reads')
  const cells = bytes[3]!
  const quantum = 2 ** (bytes[4]! - 2)
  const side = cells + 3
  const values = new Int32Array(side * side)
  let at = 5
  for (let i = 0; i < values.length; i++) {
    let n = 0
    let scale = 1
    for (;;) {
      const b = bytes[at++]
      if (b === undefined) throw new Error('the heights are cut short')
      n += (b & 127) * scale
      if (b < 128) break
      scale *= 128
    }
    const up = i >= side ? values[i - side]! : 0
    const expect = i % side ? up + values[i - 1]! - (i >= side ? values[i - side - 1]! : 0) : up
    values[i] = expect + (n % 2 ? -(n + 1) / 2 : n / 2)
  }
  const lat = Math.atan(Math.sinh((0.5 - (y + 0.5) / 2 ** z) * 2 * Math.PI))
  return {
    cells,
    metres: Float32Array.from(values, (v) => v * quantum),
    cellM: (40075016.686 * Math.cos(lat)) / 2 ** z / cells,
  }
}

export function drawTint(sheet: Sheet, land: Uint8Array, h: Heights, tints: [number, string][]): void {
  const stops = tints.map(([m, c]) => [m, channels(c)] as const)
  const corners = new Float32Array(h.metres.length * 4)
  for (let i = 0; i < h.metres.length; i++) {
    const m = h.metres[i]!
    let k = 1
    while (k < stops.length - 1 && stops[k]![0] < m) k++
    const [low, a] = stops[k - 1]!
    const [high, b] = stops[k]!
    const f = Math.max(0, Math.min(1, (m - low) / (high - low)))
    for (let n = 0; n < 3; n++) corners[4 * i + n] = a[n]! + (b[n]! - a[n]!) * f
    corners[4 * i + 3] = 1
  }
  sheet.lay(land, corners, h.cells)
}

/** Light from the north-west, 45 degrees up; slopes look steeper at small scales, where they would vanish. */
export function drawShade(
  sheet: Sheet,
  land: Uint8Array,
  h: Heights,
  strength: number,
  shade: string,
  light: string,
): void {
  const [dark, bright] = [channels(shade), channels(light)]
  const pixelM = (h.cellM * h.cells) / TILE
  const steeper = Math.max(1, Math.min(4.5, (pixelM / 10) ** 0.45))
  const side = h.cells + 3
  const m = h.metres
  const corners = new Float32Array(m.length * 4)
  for (let y = 1; y < side - 1; y++)
    for (let x = 1; x < side - 1; x++) {
      const i = y * side + x
      const east =
        ((m[i - side + 1]! + 2 * m[i + 1]! + m[i + side + 1]! - m[i - side - 1]! - 2 * m[i - 1]! - m[i + side - 1]!) *
          steeper) /
        (8 * h.cellM)
      const south =
        ((m[i + side - 1]! +
          2 * m[i + side]! +
          m[i + side + 1]! -
          m[i - side - 1]! -
          2 * m[i - side]! -
          m[i - side + 1]!) *
          steeper) /
        (8 * h.cellM)
      // The slope's upright (-east, -south, 1) with the light (-1, -1, sqrt 2) / 2, against that of level ground.
      const lit = (east + south + Math.SQRT2) / (2 * Math.sqrt(1 + east * east + south * south)) - Math.SQRT1_2
      const c = lit < 0 ? dark : bright
      for (let n = 0; n < 3; n++) corners[4 * i + n] = c[n]!
      corners[4 * i + 3] = lit < 0 ? Math.min(1, -lit * 1.5) * strength : Math.min(1, lit * 2.4) * strength * 0.8
    }
  sheet.lay(land, corners, h.cells)
}
