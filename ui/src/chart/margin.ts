// Labels in the margin: each stands at the map's left or right edge, level with its place as nearly as there is room,
// with a leader line to it.

import type { Camera, Spot } from './camera'
import type { Palette } from './style'

export interface Noted {
  text: string
  at: Spot
  strong: boolean
}

const LINE = 21
const TOP = 14
const FOOT = 44

interface Set extends Noted {
  y: number
}

/**
 * Which labels stand at each side, from the top down, each with the height that it stands at. Where there is no room
 * for all, those given first have it.
 */
export function margins(labels: Noted[], width: number, height: number): { left: Set[]; right: Set[] } {
  const room = Math.max(0, Math.floor((height - TOP - FOOT) / LINE))
  const sides = { left: [] as Set[], right: [] as Set[] }
  for (const l of labels) {
    const side = sides[l.at.x < width / 2 ? 'left' : 'right']
    if (side.length < room) side.push({ ...l, y: l.at.y - 12 })
  }
  for (const side of [sides.left, sides.right]) {
    side.sort((a, b) => a.at.y - b.at.y || a.at.x - b.at.x)
    let least = TOP
    for (const l of side) {
      l.y = Math.max(l.y, least)
      least = l.y + LINE
    }
    let most = height - FOOT
    for (const l of [...side].reverse()) {
      l.y = Math.min(l.y, most)
      most = l.y - LINE
    }
  }
  return sides
}

export function drawMargins(ctx: CanvasRenderingContext2D, camera: Camera, palette: Palette, labels: Noted[]): void {
  const { left, right } = margins(labels, camera.width, camera.height)
  ctx.save()
  ctx.textBaseline = 'middle'
  ctx.lineJoin = 'round'
  for (const [side, edge, way] of [
    [left, 6, 1],
    [right, camera.width - 6, -1],
  ] as const) {
    ctx.textAlign = way > 0 ? 'left' : 'right'
    for (const l of side) {
      ctx.font = `${l.strong ? 700 : 500} 14.5px 'Alegreya Sans'`
      const width = ctx.measureText(l.text).width
      const end = edge + way * (width + 5)
      ctx.beginPath()
      ctx.moveTo(edge - way * 6, l.y + 9)
      ctx.lineTo(end, l.y + 9)
      ctx.lineTo(l.at.x, l.at.y)
      for (const [colour, thick] of [
        [palette.paper!, 3.4],
        [palette.ink!, l.strong ? 1.5 : 0.9],
      ] as const) {
        ctx.strokeStyle = colour
        ctx.lineWidth = thick
        ctx.stroke()
      }
    }
    // The letters over all lines of their side.
    for (const l of side) {
      ctx.font = `${l.strong ? 700 : 500} 14.5px 'Alegreya Sans'`
      const width = ctx.measureText(l.text).width
      ctx.fillStyle = palette.paper!
      ctx.globalAlpha = 0.9
      ctx.fillRect(way > 0 ? 0 : camera.width - width - 11, l.y - 10, width + 11, 18.5)
      ctx.globalAlpha = 1
      ctx.fillStyle = palette.ink!
      ctx.fillText(l.text, edge, l.y)
    }
  }
  ctx.restore()
}
