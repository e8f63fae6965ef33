// Test points of the bench Proof: a line from where each is measured, and a mark where it lies; a cross for one whose
// numbers are off, an open circle for one that is right.

import type { Camera, LatLng } from '../chart/camera'
import type { Layer } from '../chart/chart'
import type { Palette } from '../chart/style'
import { destination, distanceM, roughBearing } from '../chart/geodesic'

export interface TestMark {
  from: LatLng
  to: LatLng
  /** Whether its numbers are right; null while there are none. */
  right: boolean | null
}

/** Lines are drawn as geodesics, in pieces no longer than this. */
const PIECE_M = 200_000
const MOST_PIECES = 60

export class TestPoints implements Layer {
  readonly order = 45
  private marks: { line: LatLng[]; at: LatLng; right: boolean | null }[] = []

  set(marks: TestMark[]): void {
    this.marks = marks.map((m) => {
      const whole = distanceM(m.from, m.to)
      const n = Math.min(MOST_PIECES, Math.ceil(whole / PIECE_M))
      const bearing = roughBearing(m.from, m.to)
      const between = Array.from({ length: Math.max(0, n - 1) }, (_, i) =>
        destination(m.from, bearing, (whole * (i + 1)) / n),
      )
      return { line: [m.from, ...between, m.to], at: m.to, right: m.right }
    })
  }

  ground(ctx: CanvasRenderingContext2D, camera: Camera, palette: Palette): void {
    if (!this.marks.length) return
    ctx.save()
    ctx.strokeStyle = palette.ink!
    ctx.globalAlpha = 0.35
    ctx.lineWidth = 1
    for (const m of this.marks) {
      ctx.beginPath()
      let last: { x: number } | null = null
      for (const p of m.line) {
        const s = camera.toScreen(p)
        // A line over the antimeridian comes in again at the other side.
        if (last && Math.abs(s.x - last.x) < camera.width) ctx.lineTo(s.x, s.y)
        else ctx.moveTo(s.x, s.y)
        last = s
      }
      ctx.stroke()
    }
    ctx.globalAlpha = 1
    for (const m of this.marks) {
      const s = camera.toScreen(m.at)
      for (const [colour, width] of [
        [palette.paper!, 4],
        [m.right === null ? palette.ink! : m.right ? palette.verdigris! : palette.madder!, 1.8],
      ] as const) {
        ctx.strokeStyle = colour
        ctx.lineWidth = width
        ctx.beginPath()
        if (m.right === false) {
          ctx.moveTo(s.x - 4, s.y - 4)
          ctx.lineTo(s.x + 4, s.y + 4)
          ctx.moveTo(s.x + 4, s.y - 4)
          ctx.lineTo(s.x - 4, s.y + 4)
        } else ctx.arc(s.x, s.y, 4, 0, 7)
        ctx.stroke()
      }
    }
    ctx.restore()
  }
}
