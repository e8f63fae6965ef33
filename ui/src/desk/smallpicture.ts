// Pictures that stand for a glyph: any PNG, JPEG or SVG is drawn small, with what is transparent kept so, and a plain
// background is cleared.

import { api, unwrap } from '../api/client'

const SIDE = 96
const MOST_BYTES = 8 << 20
/** So far a colour may lie from the background's and still belong to it, on each channel. */
const NEAR = 42

/** A file drawn into a small square. What cannot be read as a picture is refused. */
export async function makeSmall(file: Blob): Promise<HTMLCanvasElement> {
  if (file.size > MOST_BYTES) throw new Error(`This file has ${Math.round(file.size / 1e6)} MB; at most 8 are taken.`)
  const url = URL.createObjectURL(file)
  try {
    const image = new Image()
    image.src = url // an SVG shown as an image runs no script and fetches nothing
    await image.decode().catch(() => {
      throw new Error('This cannot be read as a picture: PNG, JPEG or SVG.')
    })
    const [w, h] = [image.naturalWidth || SIDE, image.naturalHeight || SIDE]
    const k = SIDE / Math.max(w, h)
    const canvas = document.createElement('canvas')
    canvas.width = canvas.height = SIDE
    const ctx = canvas.getContext('2d', { willReadFrequently: true })!
    ctx.imageSmoothingQuality = 'high'
    ctx.drawImage(image, (SIDE - w * k) / 2, (SIDE - h * k) / 2, w * k, h * k)
    return canvas
  } finally {
    URL.revokeObjectURL(url)
  }
}

/** Clears what joins the picture's edge and has the colour of its corner; returns how many pixels that were. */
export function clearBackground(canvas: HTMLCanvasElement): number {
  const ctx = canvas.getContext('2d', { willReadFrequently: true })!
  const { width, height } = canvas
  const picture = ctx.getImageData(0, 0, width, height)
  const d = picture.data
  // The picture's own edge: the first row and column that hold anything.
  const filled = (i: number) => d[4 * i + 3]! > 0
  const start: number[] = []
  const edge = (i: number) => {
    if (filled(i)) start.push(i)
  }
  let [top, bottom, left, right] = [height, -1, width, -1]
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++)
      if (filled(y * width + x))
        [top, bottom, left, right] = [Math.min(top, y), Math.max(bottom, y), Math.min(left, x), Math.max(right, x)]
  if (bottom < 0) return 0
  for (let x = left; x <= right; x++) {
    edge(top * width + x)
    edge(bottom * width + x)
  }
  for (let y = top; y <= bottom; y++) {
    edge(y * width + left)
    edge(y * width + right)
  }
  const corner = 4 * ((top + 1) * width + left + 1)
  const like = (i: number) =>
    d[4 * i + 3]! > 128 && [0, 1, 2].every((c) => Math.abs(d[4 * i + c]! - d[corner + c]!) <= NEAR)
  const cleared = new Uint8Array(width * height)
  const queue = start.filter(like)
  for (const i of queue) cleared[i] = 1
  for (let n = 0; n < queue.length; n++) {
    const i = queue[n]!
    const [x, y] = [i % width, Math.floor(i / width)]
    for (const [u, v] of [
      [x - 1, y],
      [x + 1, y],
      [x, y - 1],
      [x, y + 1],
    ] as const) {
      const k = v * width + u
      if (u < left || v < top || u > right || v > bottom || cleared[k] || !like(k)) continue
      cleared[k] = 1
      queue.push(k)
    }
  }
  cleared.forEach((c, i) => c && (d[4 * i + 3] = 0))
  ctx.putImageData(picture, 0, 0)
  return queue.length
}

/** Keeps the picture; returns the hash that it is known by. */
export async function keepPicture(canvas: HTMLCanvasElement): Promise<string> {
  const blob = await new Promise<Blob | null>((done) => canvas.toBlob(done, 'image/png'))
  if (!blob) throw new Error('The browser cannot make a picture of this.')
  return (await sendPicture(blob)).picture
}

/** Sends a picture to be kept as it is. */
export const sendPicture = (file: Blob) =>
  unwrap(
    api.POST('/v1/pictures', {
      body: file as unknown as string,
      bodySerializer: (b) => b as unknown as BodyInit,
      headers: { 'Content-Type': file.type || 'application/octet-stream' },
    }),
  )
