// The way to go: a broad verdigris band with a paper-coloured thread along it, and the stretches on foot from and to
// the road.

import type { Camera, LatLng } from '../chart/camera'
import type { Layer } from '../chart/chart'
import type { Palette } from '../chart/style'

export class Way implements Layer {
  readonly order = 30
  line: LatLng[] = []
  from: LatLng | null = null
  to: LatLng | null = null
  /** The step that is pointed at in the list: from this index of the line to that. */
  marked: [number, number] | null = null
  /** What of the line has been travelled: it grows while one is under way, so it is drawn with each frame. */
  done: LatLng[] = []

  ground(ctx: CanvasRenderingContext2D, camera: Camera, palette: Palette): void {
    if (this.line.length < 2) return
    const points = this.line.map((p) => camera.toScreen(p))
    const trace = (from: number, to: number) => {
      ctx.beginPath()
      for (let i = from; i <= to; i++) {
        if (i === from) ctx.moveTo(points[i]!.x, points[i]!.y)
        else ctx.lineTo(points[i]!.x, points[i]!.y)
      }
    }
    ctx.save()
    ctx.lineJoin = 'round'
    ctx.lineCap = 'round'
    trace(0, points.length - 1)
    for (const [colour, width] of [
      [palette.paper!, 12],
      [palette.verdigris!, 9],
      [palette.paper!, 1.7],
    ] as const) {
      ctx.strokeStyle = colour
      ctx.lineWidth = width
      ctx.stroke()
    }
    if (this.marked) {
      trace(this.marked[0], Math.min(points.length - 1, this.marked[1]))
      ctx.strokeStyle = palette.ochre!
      ctx.lineWidth = 4
      ctx.stroke()
    }
    ctx.setLineDash([2, 5])
    ctx.strokeStyle = palette.verdigris!
    ctx.lineWidth = 2.4
    for (const [a, b] of [
      [this.from, this.line[0]!],
      [this.to, this.line[this.line.length - 1]!],
    ] as const) {
      if (!a) continue
      const p = camera.toScreen(a)
      const q = camera.toScreen(b)
      if (Math.hypot(p.x - q.x, p.y - q.y) < 6) continue
      ctx.beginPath()
      ctx.moveTo(p.x, p.y)
      ctx.lineTo(q.x, q.y)
      ctx.stroke()
    }
    ctx.restore()
    if (this.to) this.flag(ctx, camera, palette, this.to)
  }

  drawn(): boolean {
    return this.done.length > 1
  }

  /** The travelled part is hatched. */
  draw(ctx: CanvasRenderingContext2D, camera: Camera, palette: Palette): void {
    ctx.save()
    ctx.lineJoin = 'round'
    ctx.beginPath()
    this.done.forEach((p, i) => {
      const s = camera.toScreen(p)
      if (i) ctx.lineTo(s.x, s.y)
      else ctx.moveTo(s.x, s.y)
    })
    for (const [colour, dash] of [
      [palette.paper!, []],
      [palette.verdigris!, [1.6, 3.4]],
    ] as const) {
      ctx.setLineDash(dash)
      ctx.strokeStyle = colour
      ctx.lineWidth = 7.4
      ctx.stroke()
    }
    ctx.restore()
  }

  /** The end of the way: a small surveyor's staff. */
  private flag(ctx: CanvasRenderingContext2D, camera: Camera, palette: Palette, to: LatLng): void {
    const p = camera.toScreen(to)
    ctx.save()
    ctx.lineWidth = 2
    ctx.strokeStyle = palette.ink!
    ctx.beginPath()
    ctx.moveTo(p.x, p.y)
    ctx.lineTo(p.x, p.y - 30)
    ctx.stroke()
    for (let i = 0; i < 3; i++) {
      ctx.fillStyle = i % 2 ? palette.card! : palette.verdigris!
      ctx.fillRect(p.x - 3, p.y - 30 + i * 7, 6, 7)
      ctx.strokeRect(p.x - 3, p.y - 30 + i * 7, 6, 7)
    }
    ctx.restore()
  }
}
