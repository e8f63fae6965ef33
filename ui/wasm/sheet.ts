// The heart of the sheet (src/chart/sheet.ts says what it is for), in AssemblyScript, compiled to WebAssembly by `npm
// run wasm`: it is as fast with the first tile as with the hundredth, which JavaScript is not.
//
// Memory, from the heap's base: pixels (u32 a pixel), cover (f32, stride to a row), first and last (i32 a row), through
// (u8 a pixel), and from inputAt() on what is handed in.

const ROOM: i32 = 64 // bytes

let size: i32 = 0
let stride: i32 = 0
let pixels: usize = 0
let cover: usize = 0
let first: usize = 0
let last: usize = 0
let through: usize = 0
let input: usize = 0
let top: i32 = 0
let bottom: i32 = -1
let turn: f64 = 1

/** Lays the memory out for a sheet of a size, with room for so many bytes of input. */
export function setUp(n: i32, room: i32): void {
  const align = (p: usize): usize => (p + (ROOM - 1)) & ~(ROOM - 1)
  size = n
  stride = n + 2
  pixels = align(__heap_base)
  cover = align(pixels + 4 * <usize>n * n)
  first = align(cover + 4 * <usize>stride * n)
  last = align(first + 4 * <usize>n)
  through = align(last + 4 * <usize>n)
  input = align(through + <usize>n * n)
  const need = <i32>((input + room + 65535) >> 16)
  if (memory.size() < need) memory.grow(need - memory.size())
  memory.fill(cover, 0, 4 * <usize>stride * n)
  forget()
  for (let row = 0; row < n; row++) clear(row)
}

export function pixelsAt(): usize { return pixels }
export function throughAt(): usize { return through }
export function inputAt(): usize { return input }

// @ts-ignore: decorator
@inline function clear(row: i32): void {
  store<i32>(first + 4 * row, size)
  store<i32>(last + 4 * row, -1)
}

// @ts-ignore: decorator
@inline function forget(): void {
  top = size
  bottom = -1
}

export function wash(colour: u32): void {
  for (let p = pixels, end = pixels + 4 * <usize>size * size; p < end; p += 4) store<u32>(p, colour)
}

// @ts-ignore: decorator
@inline function at(i: i32): f64 { return load<f64>(input + 8 * i) }

/** Enters a ring of n numbers; the first of an area says which way the others turn. */
export function area(n: i32, scale: f64, leads: bool): void {
  if (leads) {
    let twice: f64 = 0
    for (let i = 0, j = n - 2; i < n; j = i, i += 2) twice += at(j) * at(i + 1) - at(i) * at(j + 1)
    turn = twice < 0 ? -1 : 1
  }
  let x = at(n - 2) * scale
  let y = at(n - 1) * scale
  for (let i = 0; i < n; i += 2) {
    const nx = at(i) * scale
    const ny = at(i + 1) * scale
    side(x, y, nx, ny, turn)
    x = nx
    y = ny
  }
}

/** Enters a line of n numbers, drawn out to a width; closed joins its end to its beginning. */
export function line(n: i32, scale: f64, width: f64, round: bool, closed: bool): void {
  const half = width / 2
  let ux: f64 = 0
  let uy: f64 = 0
  let x = at(0) * scale
  let y = at(1) * scale
  let started = false
  const count = closed ? n + 2 : n
  for (let i = 2; i < count; i += 2) {
    const nx = at(i < n ? i : 0) * scale
    const ny = at(i < n ? i + 1 : 1) * scale
    const length = Math.sqrt((nx - x) * (nx - x) + (ny - y) * (ny - y))
    if (length < 1e-6) continue
    const vx = (nx - x) / length
    const vy = (ny - y) / length
    const ox = -vy * half
    const oy = vx * half
    side(x + ox, y + oy, nx + ox, ny + oy, -1)
    side(nx + ox, ny + oy, nx - ox, ny - oy, -1)
    side(nx - ox, ny - oy, x - ox, y - oy, -1)
    side(x - ox, y - oy, x + ox, y + oy, -1)
    if (started) join(x, y, ux, uy, vx, vy, half)
    else if (round && half > 0.6) fan(x, y, -vy * half, vx * half, Math.PI, half)
    started = true
    ux = vx
    uy = vy
    x = nx
    y = ny
  }
  if (started && round && half > 0.6) fan(x, y, uy * half, -ux * half, Math.PI, half)
}

/** Fills the outside of a bend. */
function join(x: f64, y: f64, ux: f64, uy: f64, vx: f64, vy: f64, half: f64): void {
  const bend = ux * vy - uy * vx
  const along = ux * vx + uy * vy
  if (half < 0.65 || (along > 0 && Math.abs(bend) * half < 0.2)) return
  const s: f64 = bend > 0 ? -1 : 1
  fan(x, y, -uy * s * half, ux * s * half, Math.atan2(bend, along), half)
}

/** A sector about x, y, from a radius through an angle; an arc may be cut short by a quarter of a pixel. */
function fan(x: f64, y: f64, rx: f64, ry: f64, angle: f64, half: f64): void {
  const most = 2 * Math.acos(Math.max(0.2, 1 - 0.25 / Math.max(half, 0.25)))
  const steps = Math.max(1, Math.ceil(Math.abs(angle) / most))
  const c = Math.cos(angle / steps)
  const s = Math.sin(angle / steps)
  const k: f64 = angle > 0 ? 1 : -1
  let px = x
  let py = y
  for (let i: f64 = 0; i <= steps; i += 1) {
    side(px, py, x + rx, y + ry, k)
    px = x + rx
    py = y + ry
    const t = rx * c - ry * s
    ry = rx * s + ry * c
    rx = t
  }
  side(px, py, x, y, k)
}

/** Enters one side of an outline that turns one way or, with k = -1, the other. */
function side(x0: f64, y0: f64, x1: f64, y1: f64, k: f64): void {
  if (y0 == y1) return
  if (y0 > y1) falling(x1, y1, x0, y0, -k)
  else falling(x0, y0, x1, y1, k)
}

// @ts-ignore: decorator
@inline function add(p: usize, v: f64): void { store<f32>(p, load<f32>(p) + <f32>v) }

/** Enters a side whose second end lies lower. */
function falling(x0: f64, y0: f64, x1: f64, y1: f64, k: f64): void {
  const limit = <f64>size
  if (!(y1 > y0 && y1 > 0 && y0 < limit) || (x0 >= limit && x1 >= limit)) return
  const slope = (x1 - x0) / (y1 - y0)
  if (y0 < 0) {
    x0 -= y0 * slope
    y0 = 0
  }
  if (y1 > limit) {
    x1 = x0 + (limit - y0) * slope
    y1 = limit
  }
  if (x0 >= limit && x1 >= limit) return
  if (x0 <= 0 && x1 <= 0) {
    x0 = 0
    x1 = 0
  } else if (x0 < 0 || x1 < 0) {
    const ym = y0 - x0 / slope
    falling(x0, y0, 0, ym, k)
    falling(0, ym, x1, y1, k)
    return
  } else if (x0 > limit || x1 > limit) {
    const ym = y0 + (limit - x0) / slope
    if (x0 > limit) falling(limit, ym, x1, y1, k)
    else falling(x0, y0, limit, ym, k)
    return
  }
  if (!(x0 >= 0 && x0 <= limit && x1 >= 0 && x1 <= limit)) return // not a number
  const step = x0 == x1 ? 0 : slope
  let x = x0
  const from = <i32>y0
  const to = min(size, <i32>Math.ceil(y1))
  if (from < top) top = from
  if (to - 1 > bottom) bottom = to - 1
  for (let row = from; row < to; row++) {
    const dy = Math.min(<f64>row + 1, y1) - Math.max(<f64>row, y0)
    const next = Math.max(0, Math.min(limit, x + step * dy))
    const d = k * dy
    const l = Math.min(x, next)
    const r = Math.max(x, next)
    const li = <i32>l
    const base = cover + 4 * <usize>(row * stride)
    if (li < load<i32>(first + 4 * row)) store<i32>(first + 4 * row, li)
    if (r <= <f64>li + 1) {
      const m = (l + r) / 2 - <f64>li
      add(base + 4 * li, d * (1 - m))
      add(base + 4 * (li + 1), d * m)
      if (li + 1 > load<i32>(last + 4 * row)) store<i32>(last + 4 * row, li + 1)
    } else {
      const s = 1 / (r - l)
      const fl = l - <f64>li
      const ri = <i32>Math.ceil(r)
      const fr = r - <f64>ri + 1
      const a0 = 0.5 * s * (1 - fl) * (1 - fl)
      const am = 0.5 * s * fr * fr
      add(base + 4 * li, d * a0)
      if (ri == li + 2) add(base + 4 * (li + 1), d * (1 - a0 - am))
      else {
        const a1 = s * (1.5 - fl)
        add(base + 4 * (li + 1), d * (a1 - a0))
        for (let i = li + 2; i < ri - 1; i++) add(base + 4 * i, d * s)
        add(base + 4 * (ri - 1), d * (1 - (a1 + <f64>(ri - li - 3) * s) - am))
      }
      add(base + 4 * ri, d * am)
      if (ri > load<i32>(last + 4 * row)) store<i32>(last + 4 * row, ri)
    }
    x = next
  }
}

/** Mixes a colour, its red and blue apart from its green, into a pixel: t of 256 parts. */
// @ts-ignore: decorator
@inline function blend(p: usize, rb: u32, g: u32, t: u32): void {
  const was = load<u32>(p)
  const left = 256 - t
  const redBlue = (((was & 0xff00ff) * left + rb * t + 0x800080) >> 8) & 0xff00ff
  const green = (((was & 0xff00) * left + g * t + 0x8000) >> 8) & 0xff00
  store<u32>(p, 0xff000000 | redBlue | green)
}

/** Paints what was entered, and forgets it; masked says that what lies in through counts. */
export function paint(red: i32, green: i32, blue: i32, alpha: f32, masked: bool): void {
  const rb: u32 = (<u32>blue << 16) | <u32>red
  const g: u32 = <u32>green << 8
  const whole: u32 = 0xff000000 | rb | g
  for (let row = top; row <= bottom; row++) {
    const base = cover + 4 * <usize>(row * stride)
    const start = row * size
    const end = min(load<i32>(last + 4 * row), size - 1)
    let sum: f32 = 0
    let x = load<i32>(first + 4 * row)
    while (x < size) {
      if (x <= end) {
        const c = load<f32>(base + 4 * x)
        if (c != 0) {
          sum += c
          store<f32>(base + 4 * x, 0)
        }
      }
      let stop = x + 1 // as far as nothing changes it is one run
      while (stop <= end && load<f32>(base + 4 * stop) == 0) stop++
      let share = sum < 0 ? -sum : sum
      if (stop > end) stop = share < 0.02 ? end + 1 : size // to the sheet's edge
      if (share > 0.004) {
        if (share > 0.996) share = 1
        const t = <i32>(share * alpha * 256 + 0.5)
        let p = pixels + 4 * <usize>(start + x)
        const to = pixels + 4 * <usize>(start + stop)
        if (masked) {
          for (let i = through + start + x; p < to; p += 4, i++) {
            const m = <i32>load<u8>(i)
            if (m) blend(p, rb, g, (t * (m + (m >> 7))) >> 8)
          }
        } else if (t >= 255) {
          for (; p < to; p += 4) store<u32>(p, whole)
        } else {
          for (; p < to; p += 4) blend(p, rb, g, t)
        }
      }
      if (stop > end && stop < size) break
      x = stop
    }
    store<f32>(base + 4 * size, 0)
    store<f32>(base + 4 * (size + 1), 0)
    clear(row)
  }
  forget()
}

/** Writes into through how far each pixel is covered by what was entered, 0 to 255, and forgets it. */
export function mask(): void {
  memory.fill(through, 0, <usize>size * size)
  for (let row = top; row <= bottom; row++) {
    const base = cover + 4 * <usize>(row * stride)
    let sum: f32 = 0
    for (let x = load<i32>(first + 4 * row); x < size; x++) {
      sum += load<f32>(base + 4 * x)
      const a = sum < 0 ? -sum : sum
      store<u8>(through + row * size + x, a > 0.996 ? 255 : <u8>(a * 255))
    }
    memory.fill(base, 0, 4 * stride)
    clear(row)
  }
  forget()
}

// @ts-ignore: decorator
@inline function corner(i: i32): f32 { return load<f32>(input + 4 * <usize>i) }

/**
 * Lays the colours at the corners of cells, in the input, over what through lets show. Within a cell they change
 * evenly, so it counts on in whole numbers, 1/65536 each.
 */
export function lay(cells: i32): void {
  const wide = cells + 3
  const row = input + 16 * <usize>(wide * wide) // room for the values at the height of a row of pixels
  const step = <f32>cells / <f32>size
  for (let py = 0; py < size; py++) {
    const y = (<f32>py + 0.5) * step + 1
    const iy = <i32>y
    const v = y - <f32>iy
    const above = 4 * iy * wide
    for (let n = 0; n < 4 * wide; n++) {
      const a = corner(above + n)
      const value = a + (corner(above + 4 * wide + n) - a) * v
      // opacity in parts of 257, as 255 of the mask make it 256
      store<f32>(row + 4 * <usize>n, value * (n % 4 == 3 ? 257 : 1) * 65536)
    }
    let px = 0
    while (px < size) {
      const x = (<f32>px + 0.5) * step + 1
      const ix = <i32>x
      const u = x - <f32>ix
      const end = min(size, <i32>Math.ceil((<f64>ix) / <f64>step - 0.5 + 0.00001))
      const n = row + 16 * <usize>ix
      const dr = load<f32>(n, 16) - load<f32>(n)
      const dg = load<f32>(n, 20) - load<f32>(n, 4)
      const db = load<f32>(n, 24) - load<f32>(n, 8)
      const dt = load<f32>(n, 28) - load<f32>(n, 12)
      let r = <i32>(load<f32>(n) + dr * u)
      let g = <i32>(load<f32>(n, 4) + dg * u)
      let b = <i32>(load<f32>(n, 8) + db * u)
      let t = <i32>(load<f32>(n, 12) + dt * u)
      const er = <i32>(dr * step)
      const eg = <i32>(dg * step)
      const eb = <i32>(db * step)
      const et = <i32>(dt * step)
      let i = py * size + px
      for (const stop = py * size + max(end, px + 1); i < stop; i++) {
        const m = <i32>load<u8>(through + i)
        const share = ((t >> 16) * m) >> 8
        const redBlue = <u32>(b & 0xff0000) | (<u32>r >> 16)
    if (share > 0) blend(pixels + 4 * <usize>i, redBlue, <u32>(g >> 8) & 0xff00, min(share, 256))
        r += er
        g += eg
        b += eb
        t += et
      }
      px = i - py * size
    }
  }
}
