// The numbers at the ends of the graticule's lines, along the map's left and lower edge.

import { toWorld, wrapLng, type Camera } from './camera'
import { graticuleStep } from './raster'

/** Degrees, with as many minutes and seconds as the step asks for, and the letter of the hemisphere. */
export function degrees(value: number, step: number, letters: string): string {
  const seconds = Math.round(Math.abs(value) * 3600)
  const whole = `${Math.floor(seconds / 3600)}°`
  const minutes = step < 1 ? `${String(Math.floor(seconds / 60) % 60).padStart(2, '0')}′` : ''
  const rest = step < 1 / 60 ? `${String(seconds % 60).padStart(2, '0')}″` : ''
  return whole + minutes + rest + (seconds === 0 ? '' : letters[value < 0 ? 1 : 0]!)
}

const LEFT = 76
const FOOT = 30

export class Graticule {
  private readonly left = document.createElement('canvas')
  private readonly foot = document.createElement('canvas')
  private drawn = ''

  constructor(stack: HTMLElement, order: number) {
    for (const [c, style] of [[this.left, `left:0;top:0;width:${LEFT}px;height:100%`], [this.foot, `left:0;bottom:0;height:${FOOT}px;width:100%`]] as const) {
      c.style.cssText = `position:absolute;z-index:${order};${style}`
      stack.append(c)
    }
  }

  draw(camera: Camera, ratio: number, palette: Record<string, string>): void {
    const { lat, lng, zoom, rotation } = camera.view
    const now = `${lat} ${lng} ${zoom} ${rotation} ${camera.width} ${camera.height} ${ratio} ${palette['ink-water']}`
    if (now === this.drawn) return
    this.drawn = now
    for (const c of [this.left, this.foot]) c.style.visibility = rotation ? 'hidden' : 'visible'
    if (rotation) return
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
    const south = camera.fromScreen({ x: 0, y: camera.height }).lat
    const north = camera.fromScreen({ x: 0, y: 0 }).lat
    for (let k = Math.ceil(south / step); k * step <= north; k++) {
      const y = (toWorld({ lat: k * step, lng: 0 }).y - camera.centre.y) * camera.size + camera.height / 2
      if (y < 12 || y > camera.height - 26) continue
      put(left, degrees(k * step, step, 'NS'), 14, y)
      left.fillRect(0, y - 0.5, 10, 1)
    }
    const foot = begin(this.foot, camera.width, FOOT)
    foot.textAlign = 'center'
    const west = camera.screenToWorld({ x: 0, y: 0 }).x * 360 - 180
    const east = camera.screenToWorld({ x: camera.width, y: 0 }).x * 360 - 180
    for (let k = Math.ceil(west / step); k * step <= east; k++) {
      const x = ((k * step + 180) / 360 - camera.centre.x) * camera.size + camera.width / 2
      if (x < 60 || x > camera.width - 20) continue
      put(foot, degrees(wrapLng(k * step), step, 'EW'), x, FOOT - 13)
      foot.fillRect(x - 0.5, FOOT - 10, 1, 10)
    }
  }
}
