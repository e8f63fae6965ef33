// The sheet that a tile is drawn on: fills outlines and strokes lines into a bitmap, each pixel covered as exactly as
// the outline covers it. In a worker without a GPU this is several times faster than a canvas.
//
// Outlines leave in a buffer, along each row, by how much the cover grows at a pixel; painting sums the row up (the way
// in which font rasterizers do it; Levien 2016, "font-rs"). Overlapping outlines that turn the same way do not add up.
// wasm/sheet.ts does the work; here is the door to it.

import init from './sheet.wasm?init'

export type Rgb = readonly [number, number, number]

export interface Ink {
  colour: Rgb
  /** 0 to 1. */
  alpha?: number
  /** How opaque the ink is at each pixel of the sheet, 0 to 255: a pattern, or a mask. */
  through?: Uint8Array
}

interface Works {
  memory: WebAssembly.Memory
  setUp(size: number, room: number): void
  pixelsAt(): number
  throughAt(): number
  inputAt(): number
  wash(colour: number): void
  area(n: number, scale: number, leads: boolean): void
  line(n: number, scale: number, width: number, round: boolean, closed: boolean): void
  paint(r: number, g: number, b: number, alpha: number, masked: boolean): void
  mask(): void
  lay(cells: number): void
}

/** There is one sheet to a worker; its size changes with what is drawn on it. */
export class Sheet {
  private room = 1 << 20
  private input!: Float64Array
  private through!: Uint8Array
  size = 0

  private constructor(private readonly works: Works) {}

  static async open(): Promise<Sheet> {
    const { exports } = await init({ env: { abort: () => {} } })
    return new Sheet(exports as unknown as Works)
  }

  /** Makes it so many pixels to a side, all of one colour. */
  begin(size: number, [r, g, b]: Rgb): void {
    if (size !== this.size) this.layOut(size, this.room)
    this.works.wash((0xff000000 | (b << 16) | (g << 8) | r) >>> 0)
  }

  private layOut(size: number, room: number): void {
    this.size = size
    this.room = room
    this.works.setUp(size, room)
    const memory = this.works.memory.buffer
    this.input = new Float64Array(memory, this.works.inputAt(), room / 8)
    this.through = new Uint8Array(memory, this.works.throughAt(), size * size)
  }

  /** What was drawn. */
  get pixels(): Uint8ClampedArray<ArrayBuffer> {
    return new Uint8ClampedArray(
      this.works.memory.buffer as ArrayBuffer,
      this.works.pixelsAt(),
      this.size * this.size * 4,
    )
  }

  private put(points: ArrayLike<number>): number {
    if (points.length > this.input.length)
      throw new Error(`an outline of ${points.length / 2} points is more than a tile can hold`)
    this.input.set(points)
    return points.length
  }

  /** Enters the rings of an area, x, y, x, y … times a scale; holes turn the other way than the first ring. */
  area(rings: readonly ArrayLike<number>[], scale: number): void {
    rings.forEach((r, i) => r.length > 4 && this.works.area(this.put(r), scale, i === 0))
  }

  /**
   * Enters a line, x, y, x, y … times a scale, drawn out to a width in pixels; closed joins its end to its beginning.
   */
  line(part: ArrayLike<number>, scale: number, width: number, round = true, closed = false): void {
    if (part.length > 2) this.works.line(this.put(part), scale, width, round, closed)
  }

  /** Enters a line in dashes; lengths are on, off, on, off … in pixels. */
  dashed(part: ArrayLike<number>, scale: number, width: number, lengths: readonly number[], round = true): void {
    let k = 0
    let left = lengths[0]!
    let dash: number[] = [part[0]! * scale, part[1]! * scale]
    for (let i = 2; i < part.length; i += 2) {
      let x = part[i - 2]! * scale
      let y = part[i - 1]! * scale
      const ex = part[i]! * scale
      const ey = part[i + 1]! * scale
      let length = Math.hypot(ex - x, ey - y)
      while (length > left) {
        x += ((ex - x) * left) / length
        y += ((ey - y) * left) / length
        length -= left
        if (k % 2 === 0) {
          dash.push(x, y)
          this.line(dash, 1, width, round)
        }
        dash = [x, y]
        k = (k + 1) % lengths.length
        left = lengths[k]!
      }
      left -= length
      dash.push(ex, ey)
    }
    if (k % 2 === 0) this.line(dash, 1, width, round)
  }

  /** Paints what was entered, and forgets it. */
  paint({ colour: [r, g, b], alpha = 1, through }: Ink): void {
    if (through) this.through.set(through)
    this.works.paint(r, g, b, alpha, !!through)
  }

  /** How far each pixel is covered by what was entered, 0 to 255; it is forgotten then. */
  mask(): Uint8Array {
    this.works.mask()
    return this.through.slice()
  }

  /**
   * Lays colours over the pixels of a mask that change evenly between the corners of a grid, which reaches a cell
   * beyond the sheet on every side: red, green, blue (0 to 255) and opacity (0 to 1) at each corner, row by row.
   */
  lay(mask: Uint8Array, corners: Float32Array, cells: number): void {
    this.through.set(mask)
    new Float32Array(this.works.memory.buffer, this.works.inputAt(), corners.length).set(corners)
    this.works.lay(cells)
  }
}
