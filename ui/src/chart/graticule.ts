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

export class Graticule {
  draw(ctx: CanvasRenderingContext2D, camera: Camera, palette: Record<string, string>): void {
    if (camera.view.rotation) return
    const step = graticuleStep(camera.view.zoom)
    ctx.save()
    ctx.font = "400 11px 'Alegreya Sans'"
    ctx.fillStyle = palette['ink-water']!
    ctx.strokeStyle = palette.halo!
    ctx.lineWidth = 3
    ctx.lineJoin = 'round'
    const put = (text: string, x: number, y: number, align: CanvasTextAlign) => {
      ctx.textAlign = align
      ctx.strokeText(text, x, y)
      ctx.fillText(text, x, y)
    }
    ctx.textBaseline = 'middle'
    const south = camera.fromScreen({ x: 0, y: camera.height }).lat
    const north = camera.fromScreen({ x: 0, y: 0 }).lat
    for (let k = Math.ceil(south / step); k * step <= north; k++) {
      const y = (toWorld({ lat: k * step, lng: 0 }).y - camera.centre.y) * camera.size + camera.height / 2
      if (y < 12 || y > camera.height - 26) continue
      put(degrees(k * step, step, 'NS'), 14, y, 'left')
      ctx.fillRect(0, y - 0.5, 10, 1)
    }
    ctx.textBaseline = 'alphabetic'
    const west = camera.screenToWorld({ x: 0, y: 0 }).x * 360 - 180
    const east = camera.screenToWorld({ x: camera.width, y: 0 }).x * 360 - 180
    for (let k = Math.ceil(west / step); k * step <= east; k++) {
      const x = ((k * step + 180) / 360 - camera.centre.x) * camera.size + camera.width / 2
      if (x < 60 || x > camera.width - 20) continue
      put(degrees(wrapLng(k * step), step, 'EW'), x, camera.height - 13, 'center')
      ctx.fillRect(x - 0.5, camera.height - 10, 1, 10)
    }
    ctx.restore()
  }
}
