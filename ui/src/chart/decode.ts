// Reads a tile in the encoding of docs/tiles.md.

export const EXTENT = 4096

export const enum Shape {
  Point,
  Line,
  Area,
}

export const enum Flag {
  OneWay = 1,
  Bridge = 2,
  Tunnel = 4,
}

/** How many other bridges a bridge passes over. */
export const levelOf = (f: Feature): number => (f.flags >> 4) & 3

export interface Feature {
  id: number
  name: string
  flags: number
  rank: number
  /** Points as x, y, x, y … in tile units, one list for each part. */
  parts: Int32Array[]
}

export interface Layer {
  class: string
  shape: Shape
  features: Feature[]
}

/** Decodes a tile; throws on bytes that are none. */
export function decode(data: ArrayBuffer): Layer[] {
  const bytes = new Uint8Array(data)
  let at = 3
  if (bytes[0] !== 0x56 || bytes[1] !== 0x54 || bytes[2] !== 1)
    throw new Error('this is not a tile of a version that this page reads')
  const number = (): number => {
    let value = 0
    let scale = 1
    for (;;) {
      const b = bytes[at++]
      if (b === undefined) throw new Error('the tile is cut short')
      value += (b & 127) * scale
      if (b < 128) return value
      scale *= 128
    }
  }
  const signed = (): number => {
    const n = number()
    return n % 2 ? -(n + 1) / 2 : n / 2
  }
  const utf8 = new TextDecoder()
  const text = (): string => {
    const n = number()
    at += n
    return utf8.decode(bytes.subarray(at - n, at))
  }
  const names = ['']
  for (let n = number(); n > 0; n--) names.push(text())
  const layers: Layer[] = []
  for (let n = number(); n > 0; n--) {
    const layer: Layer = { class: text(), shape: bytes[at++] as Shape, features: [] }
    for (let count = number(); count > 0; count--) {
      const feature: Feature = {
        id: number(),
        name: names[number()] ?? '',
        flags: bytes[at++]!,
        rank: bytes[at++]!,
        parts: [],
      }
      let x = 0
      let y = 0
      for (let parts = number(); parts > 0; parts--) {
        const size = number()
        if (size > bytes.length) throw new Error('the tile is cut short')
        const part = new Int32Array(2 * size)
        for (let i = 0; i < size; i++) {
          part[2 * i] = x += signed()
          part[2 * i + 1] = y += signed()
        }
        feature.parts.push(part)
      }
      layer.features.push(feature)
    }
    layers.push(layer)
  }
  return layers
}
