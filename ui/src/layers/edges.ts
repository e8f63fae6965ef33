// What lies in the ring but outside the view stands at the map's edge: a small mark that points there, with its
// distance.

import type { Camera, LatLng, Spot } from '../chart/camera'
import type { Hit, Layer } from '../chart/chart'
import type { Palette } from '../chart/style'

export interface Outlying {
  id: string
  at: LatLng
  colour: string
  text: string
}

interface EdgeMark {
  id: string
  x: number
  y: number
  angle: number
  text: string
  colour: string
}

const INSET = 20
const APART_X = 74
const APART_Y = 26
/** How many marks there are at most, on a narrow map and on a wide one. */
const MOST = { narrow: 6, wide: 14 }

export class Edges implements Layer {
  readonly order = 48
  /** The nearest first. */
  all: Outlying[] = []
  private marks: EdgeMark[] = []

  drawn(): boolean {
    return this.all.length > 0
  }

  private place(camera: Camera): void {
    this.marks = []
    const [cx, cy] = [camera.width / 2, camera.height / 2]
    const taken: { x: number; y: number; n: number; mark: EdgeMark }[] = []
    for (const o of this.all) {
      const s = camera.toScreen(o.at)
      if (s.x >= 0 && s.x <= camera.width && s.y >= 0 && s.y <= camera.height) continue
      const [dx, dy] = [s.x - cx, s.y - cy]
      const k = Math.min((cx - INSET) / Math.max(Math.abs(dx), 1e-9), (cy - INSET) / Math.max(Math.abs(dy), 1e-9))
      const [x, y] = [cx + dx * k, cy + dy * k]
      const near = taken.find((t) => Math.abs(t.x - x) < APART_X && Math.abs(t.y - y) < APART_Y)
      if (near) {
        near.n++
        near.mark.text = near.mark.text.replace(/( \+\d+)?$/, ` +${near.n}`)
        continue
      }
      if (this.marks.length === (camera.width < 500 ? MOST.narrow : MOST.wide)) continue
      const mark = { id: o.id, x, y, angle: Math.atan2(dy, dx), text: o.text, colour: o.colour }
      this.marks.push(mark)
      taken.push({ x, y, n: 0, mark })
    }
  }

  draw(ctx: CanvasRenderingContext2D, camera: Camera, palette: Palette): void {
    this.place(camera)
    ctx.save()
    ctx.font = "600 13px 'Alegreya Sans'"
    ctx.textBaseline = 'middle'
    ctx.lineJoin = 'round'
    for (const m of this.marks) {
      ctx.save()
      ctx.translate(m.x, m.y)
      ctx.rotate(m.angle)
      ctx.beginPath()
      ctx.moveTo(14, 0)
      ctx.lineTo(2, -7)
      ctx.lineTo(2, 7)
      ctx.closePath()
      ctx.fillStyle = m.colour
      ctx.strokeStyle = palette.paper!
      ctx.lineWidth = 3
      ctx.stroke()
      ctx.fill()
      ctx.strokeStyle = palette.ink!
      ctx.lineWidth = 1.2
      ctx.stroke()
      ctx.restore()
      const wide = ctx.measureText(m.text).width
      const x = Math.max(4, Math.min(camera.width - wide - 4, m.x - Math.cos(m.angle) * (wide / 2 + 4) - wide / 2))
      const y = Math.max(10, Math.min(camera.height - 10, m.y - Math.sin(m.angle) * 12))
      ctx.strokeStyle = palette.paper!
      ctx.lineWidth = 3.5
      ctx.strokeText(m.text, x, y)
      ctx.fillStyle = palette.ink!
      ctx.fillText(m.text, x, y)
    }
    ctx.restore()
  }

  hit(at: Spot, camera: Camera, reach: number): Omit<Hit, 'layer'> | null {
    this.place(camera)
    const m = this.marks.find((one) => Math.abs(one.x - at.x) < 26 + reach && Math.abs(one.y - at.y) < 12 + reach)
    return m ? { id: m.id, distance: Math.hypot(m.x - at.x, m.y - at.y) } : null
  }
}
