// Heights of a tile: reads their encoding (docs/tiles.md), tints the land by them and shades its slopes.

import { TILE } from './camera'
import type { Context } from './raster'
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
  if (bytes[0] !== 0x56 || bytes[1] !== 0x48 || bytes[2] !== 1) throw new Error('these are not heights of a version that this page reads')
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
  return { cells, metres: Float32Array.from(values, (v) => v * quantum), cellM: (40075016.686 * Math.cos(lat)) / 2 ** z / cells }
}

/** An image with a pixel at each corner, drawn so that the corners come where they lie. */
function lay(ctx: Context, land: Path2D, h: Heights, pixel: (i: number, side: number) => [number, number, number, number]): void {
  const side = h.cells + 3
  const image = new ImageData(side, side)
  for (let y = 1; y < side - 1; y++)
    for (let x = 1; x < side - 1; x++) {
      const i = y * side + x
      image.data.set(pixel(i, side), 4 * i)
    }
  // The outermost ring has no neighbours to take slopes from: it repeats the next one, so that edges do not fade.
  const copy = (to: number, from: number) => image.data.copyWithin(4 * to, 4 * from, 4 * from + 4)
  for (let k = 0; k < side; k++) {
    copy(k * side, k * side + 1)
    copy(k * side + side - 1, k * side + side - 2)
  }
  image.data.copyWithin(0, 4 * side, 8 * side)
  image.data.copyWithin(4 * side * (side - 1), 4 * side * (side - 2), 4 * side * (side - 1))
  const canvas = new OffscreenCanvas(side, side)
  canvas.getContext('2d')!.putImageData(image, 0, 0)
  const cell = ctx.canvas.width / h.cells
  ctx.save()
  ctx.clip(land, 'evenodd')
  ctx.imageSmoothingEnabled = true
  ctx.imageSmoothingQuality = 'high'
  ctx.drawImage(canvas, -1.5 * cell, -1.5 * cell, side * cell, side * cell)
  ctx.restore()
}

export function drawTint(ctx: Context, land: Path2D, h: Heights, tints: [number, string][]): void {
  const stops = tints.map(([m, c]) => [m, channels(c)] as const)
  lay(ctx, land, h, (i) => {
    const m = h.metres[i]!
    let k = 1
    while (k < stops.length - 1 && stops[k]![0] < m) k++
    const [low, a] = stops[k - 1]!
    const [high, b] = stops[k]!
    const f = Math.max(0, Math.min(1, (m - low) / (high - low)))
    return [a[0] + (b[0] - a[0]) * f, a[1] + (b[1] - a[1]) * f, a[2] + (b[2] - a[2]) * f, 255]
  })
}

/** Light from the north-west, 45 degrees up; slopes look steeper at small scales, where they would vanish. */
export function drawShade(ctx: Context, land: Path2D, h: Heights, strength: number, shade: string, light: string): void {
  const [dark, bright] = [channels(shade), channels(light)]
  const pixelM = (h.cellM * h.cells) / TILE
  const steeper = Math.max(1, Math.min(4.5, (pixelM / 10) ** 0.45))
  const flat = Math.SQRT1_2
  lay(ctx, land, h, (i, side) => {
    const m = h.metres
    const east = ((m[i - side + 1]! + 2 * m[i + 1]! + m[i + side + 1]! - m[i - side - 1]! - 2 * m[i - 1]! - m[i + side - 1]!) * steeper) / (8 * h.cellM)
    const south = ((m[i + side - 1]! + 2 * m[i + side]! + m[i + side + 1]! - m[i - side - 1]! - 2 * m[i - side]! - m[i - side + 1]!) * steeper) / (8 * h.cellM)
    // The slope's upright (-east, -south, 1) with the light (-1, -1, sqrt 2) / 2.
    const lit = (east + south + Math.SQRT2) / (2 * Math.sqrt(1 + east * east + south * south))
    const d = lit - flat
    return d < 0 ? [...dark, Math.min(1, -d * 1.5) * strength * 255] : [...bright, Math.min(1, d * 2.4) * strength * 205]
  })
}
