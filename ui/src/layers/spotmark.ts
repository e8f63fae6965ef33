// The selected spot: four small corner ticks round it, so that what lies there stays visible.

import type { Camera, LatLng } from '../chart/camera'
import type { Layer } from '../chart/chart'
import type { Palette } from '../chart/style'

export class SpotMark implements Layer {
  readonly order = 60
  at: LatLng | null = null

  drawn(): boolean {
    return !!this.at
  }

  draw(ctx: CanvasRenderingContext2D, camera: Camera, palette: Palette): void {
    if (!this.at) return
    const p = camera.toScreen(this.at)
    ctx.save()
    for (const [colour, width] of [
      [palette.paper!, 4.5],
      [palette.ink!, 1.8],
    ] as const) {
      ctx.strokeStyle = colour
      ctx.lineWidth = width
      ctx.beginPath()
      for (const sx of [-1, 1])
        for (const sy of [-1, 1]) {
          ctx.moveTo(p.x + 9 * sx, p.y + 4 * sy)
          ctx.lineTo(p.x + 9 * sx, p.y + 9 * sy)
          ctx.lineTo(p.x + 4 * sx, p.y + 9 * sy)
        }
      ctx.moveTo(p.x + 0.9, p.y)
      ctx.arc(p.x, p.y, 0.9, 0, 7)
      ctx.stroke()
    }
    ctx.restore()
  }
}
