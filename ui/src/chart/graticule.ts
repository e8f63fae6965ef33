// The numbers at the ends of the graticule's lines, along the map's left and lower edge, however it is turned.

import { toLatLng, toWorld, wrapLng, type Camera } from './camera'
import { graticuleStep } from './raster'

/** Degrees, with as many minutes and seconds as the step asks for, and the letter of the hemisphere. */
export function degrees(value: number, step: number, letters: string): string {
  const seconds = Math.round(Math.abs(value) * 3600)
  const whole = `${Math.floor(seconds / 3600)}°`
  const minutes = step < 1 ? `${String(Math.floor(seconds / 60) % 60).padStart(2, '0')}′` : ''
  const rest = step < 1 / 60 ? `${String(seconds % 60).padStart(2, '0')}″` : ''
  return whole + minutes + rest + (seconds === 0 ? '' : letters[value < 0 ? 1 : 0]!)
}

type Edge = 'left' | 'foot'
/** Where a line crosses an edge, in pixels along it, and what it is called. */
interface Crossing {
  at: number
  text: string
}

const LEFT = 76
const FOOT = 30

export class Graticule {
  private readonly left = document.createElement('canvas')
  private readonly foot = document.createElement('canvas')
  private drawn = ''
  /** What stands at the left edge and at the foot. */
  numbers: Record<Edge, Crossing[]> = { left: [], foot: [] }

  constructor(stack: HTMLElement, order: number) {
    for (const [c, style] of [
      [this.left, `left:0;top:0;width:${LEFT}px;height:100%`],
      [this.foot, `left:0;bottom:0;height:${FOOT}px;width:100%`],
    ] as const) {
      c.style.cssText = `position:absolute;z-index:${order};${style}`
      stack.append(c)
    }
  }

  draw(camera: Camera, ratio: number, palette: Record<string, string>): void {
    const { lat, lng, zoom, rotation } = camera.view
    const now = `${lat} ${lng} ${zoom} ${rotation} ${camera.width} ${camera.height} ${ratio} ${palette['ink-water']}`
    if (now === this.drawn) return
    this.drawn = now
    const step = graticuleStep(zoom)
    const begin = (canvas: HTMLCanvasElement, width: number, height: number): CanvasRenderingContext2D => {
      const [w, h] = [Math.round(width * ratio), Math.round(height * ratio)]
      if (canvas.width !== w || canvas.height !== h) Object.assign(canvas, { width: w, height: h })
      const ctx = canvas.getContext('2d')!
      ctx.setTransform(ratio, 0, 0, ratio, 0, 0)
      ctx.clearRect(0, 0, width, height)
      ctx.font = "400 11px 'Alegreya Sans'"
      ctx.fillStyle = palette['ink-water']!
      ctx.strokeStyle = palette.halo!
      ctx.lineWidth = 3
      ctx.lineJoin = 'round'
      return ctx
    }
    const put = (ctx: CanvasRenderingContext2D, text: string, x: number, y: number) => {
      ctx.strokeText(text, x, y)
      ctx.fillText(text, x, y)
    }
    const left = begin(this.left, LEFT, camera.height)
    left.textBaseline = 'middle'
    this.numbers = { left: crossings(camera, step, 'left'), foot: crossings(camera, step, 'foot') }
    for (const { at, text } of this.numbers.left) {
      put(left, text, 14, at)
      left.fillRect(0, at - 0.5, 10, 1)
    }
    const foot = begin(this.foot, camera.width, FOOT)
    foot.textAlign = 'center'
    for (const { at, text } of this.numbers.foot) {
      put(foot, text, at, FOOT - 13)
      foot.fillRect(at - 0.5, FOOT - 10, 1, 10)
    }
  }
}

/** The corner where the two edges meet is left to neither. */
const CLEAR = { left: { from: 12, to: 26 }, foot: { from: 60, to: 20 } }

/**
 * Where an edge of the map is crossed by the lines that cross it more steeply, parallels or meridians as the map is
 * turned, in pixels along the edge, and what they are called.
 */
function crossings(camera: Camera, step: number, edge: Edge): Crossing[] {
  const { width, height } = camera
  const turned = Math.abs(Math.sin((camera.view.rotation * Math.PI) / 180)) > Math.SQRT1_2
  const parallels = (edge === 'left') !== turned
  const [a, b] =
    edge === 'left'
      ? [
          { x: 0, y: 0 },
          { x: 0, y: height },
        ]
      : [
          { x: 0, y: height },
          { x: width, y: height },
        ]
  const [from, to] = [camera.screenToWorld(a), camera.screenToWorld(b)]
  // Along the edge the world's y and x change evenly.
  const [v, w] = parallels ? [from.y, to.y] : [from.x, to.x]
  const degreesAt = (world: number) => (parallels ? toLatLng({ x: 0, y: world }).lat : world * 360 - 180)
  const worldAt = (value: number) => (parallels ? toWorld({ lat: value, lng: 0 }).y : (value + 180) / 360)
  const [least, most] = [Math.min(degreesAt(v), degreesAt(w)), Math.max(degreesAt(v), degreesAt(w))]
  const length = edge === 'left' ? height : width
  const out: Crossing[] = []
  for (let k = Math.ceil(least / step); k * step <= most; k++) {
    const at = ((worldAt(k * step) - v) / (w - v)) * length
    if (at < CLEAR[edge].from || at > length - CLEAR[edge].to) continue
    out.push({ at, text: parallels ? degrees(k * step, step, 'NS') : degrees(wrapLng(k * step), step, 'EW') })
  }
  return out
}
