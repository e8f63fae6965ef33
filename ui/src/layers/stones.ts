// Places as milestones: a block with parallel sides, a rounded head and a foot as wide as the head, the category's glyph on it.
// Where they crowd, they are piled up as a cairn with its count, which splits as one zooms in.

import glyphs from '@style/glyphs.json'
import { toWorld, type Camera, type LatLng, type Spot } from '../chart/camera'
import type { Hit, Layer } from '../chart/chart'
import type { Palette } from '../chart/style'

export interface Stone {
  id: string
  at: LatLng
  name: string
  glyph: string
  colour: string
  /** Outside the ring: drawn faint. */
  faint: boolean
  selected: boolean
  /** In edit: may be dragged, and where it stood is shown. */
  editable: boolean
  was?: LatLng
}

const WIDTH = 20
const HEIGHT = 27
/** Stones whose feet are nearer to each other than this, in pixels, are piled up. */
const CROWD = 26
/** From this zoom on every stone stands for itself. */
export const APART = 17

/** Stones piled up, or one that stands alone; at is the middle of their feet on the screen. */
interface Pile {
  at: Spot
  stones: Stone[]
}

function outline(ctx: CanvasRenderingContext2D, x: number, y: number, scale: number): void {
  const r = (WIDTH / 2) * scale
  ctx.beginPath()
  ctx.moveTo(x - r, y)
  ctx.lineTo(x - r, y - HEIGHT * scale + r)
  ctx.arc(x, y - HEIGHT * scale + r, r, Math.PI, 0)
  ctx.lineTo(x + r, y)
  ctx.closePath()
}

export class Stones implements Layer {
  readonly order = 50
  readonly still = true
  private list: Stone[] = []
  /** Where they stand on the unit square of the world, x, y, x, y …: worked out once, not with every frame. */
  private spots = new Float64Array(0)
  private paths = new Map<string, Path2D>()

  /** moved is called while a stone is dragged. */
  constructor(private moved: (id: string, to: LatLng) => void) {}

  get stones(): Stone[] {
    return this.list
  }

  set stones(list: Stone[]) {
    this.list = list
    this.spots = new Float64Array(2 * list.length)
    list.forEach((s, i) => {
      const w = toWorld(s.at)
      this.spots[2 * i] = w.x
      this.spots[2 * i + 1] = w.y
    })
  }

  /** The stones in view, piled up where they crowd. The order is that of the stones, so that a pile stays as one pans. */
  private piles(camera: Camera): Pile[] {
    const out: Pile[] = []
    const cells = new Map<string, Pile[]>()
    const reach = (Math.hypot(camera.width, camera.height) / 2 + 60) / camera.size
    for (let i = 0; i < this.list.length; i++) {
      const w = { x: this.spots[2 * i]!, y: this.spots[2 * i + 1]! }
      const dx = Math.abs(w.x - camera.centre.x) % 1
      if ((dx > reach && 1 - dx > reach) || Math.abs(w.y - camera.centre.y) > reach) continue
      const s = this.list[i]!
      const p = camera.worldToScreen(w)
      if (p.x < -60 || p.y < -30 || p.x > camera.width + 60 || p.y > camera.height + 60) continue
      const alone = s.selected || s.editable || camera.view.zoom >= APART
      const [cx, cy] = [Math.floor(p.x / CROWD), Math.floor(p.y / CROWD)]
      let near: Pile | undefined
      if (!alone)
        for (let dx = -1; dx <= 1 && !near; dx++)
          for (let dy = -1; dy <= 1 && !near; dy++)
            near = cells.get(`${cx + dx},${cy + dy},${s.faint}`)?.find((o) => Math.hypot(o.at.x - p.x, o.at.y - p.y) < CROWD)
      if (near) {
        near.stones.push(s)
        continue
      }
      const pile = { at: p, stones: [s] }
      out.push(pile)
      if (alone) continue
      const key = `${cx},${cy},${s.faint}`
      const cell = cells.get(key)
      if (cell) cell.push(pile)
      else cells.set(key, [pile])
    }
    return out
  }

  /** The places of the cairn with an id, for whoever wants to look into it. */
  inCairn(id: string, camera: Camera): LatLng[] {
    return this.piles(camera).find((p) => p.stones.length > 1 && cairnId(p) === id)?.stones.map((s) => s.at) ?? []
  }

  draw(ctx: CanvasRenderingContext2D, camera: Camera, palette: Palette): void {
    const order = (p: Pile) => Number(p.stones[0]!.selected) * 2 - Number(p.stones[0]!.faint)
    const shown = this.piles(camera).sort((a, b) => order(a) - order(b) || a.at.y - b.at.y)
    for (const { at, stones } of shown) {
      const [s] = stones as [Stone]
      if (stones.length > 1) {
        this.cairn(ctx, at, stones.length, s.faint, palette)
        continue
      }
      if (s.was) this.ghost(ctx, camera.toScreen(s.was), at, palette)
      this.stone(ctx, s, at, palette)
    }
    // The name beside the stone in hand.
    for (const { at, stones } of shown) if (stones[0]!.selected) this.label(ctx, stones[0]!, at, camera, palette)
  }

  /** The ground's names keep clear of stones and cairns. */
  obstacles(camera: Camera): number[][] {
    return this.piles(camera).map(({ at, stones }) => {
      const half = stones.length > 1 ? 18 : WIDTH / 2 + 2
      return [at.x - half, at.y - HEIGHT - 4, at.x + half, at.y + 2]
    })
  }

  /** Three stones piled up, with their count on a label. */
  private cairn(ctx: CanvasRenderingContext2D, p: Spot, count: number, faint: boolean, palette: Palette): void {
    ctx.save()
    ctx.globalAlpha = faint ? 0.5 : 1
    ctx.lineWidth = 1.3
    ctx.strokeStyle = palette.ink!
    ctx.fillStyle = palette.card!
    for (const [dx, dy, w, h] of [[-8, -4.5, 9, 5], [8.5, -4.2, 8.5, 4.7], [-0.5, -25.5, 7.5, 4.5], [0.5, -15, 12.5, 8.2]] as const) {
      ctx.beginPath()
      ctx.ellipse(p.x + dx, p.y + dy, w, h, dx / 60, 0, 7)
      ctx.fill()
      ctx.stroke()
    }
    ctx.font = "700 13px 'Alegreya Sans'"
    ctx.textAlign = 'center'
    ctx.textBaseline = 'middle'
    ctx.fillStyle = palette.ink!
    ctx.fillText(String(count), p.x + 0.5, p.y - 14.4)
    ctx.restore()
  }

  private stone(ctx: CanvasRenderingContext2D, s: Stone, p: Spot, palette: Palette): void {
    const scale = s.selected ? 1.3 : 1
    ctx.save()
    ctx.globalAlpha = s.faint && !s.selected ? 0.45 : 1
    ctx.lineJoin = 'round'
    outline(ctx, p.x, p.y, scale)
    ctx.fillStyle = s.selected ? palette.ink! : palette.card!
    ctx.fill()
    ctx.strokeStyle = s.selected ? palette.paper! : palette.ink!
    ctx.lineWidth = s.selected ? 2.4 : 1.3
    ctx.stroke()
    if (!s.selected) {
      ctx.beginPath() // the foot is dressed in the category's colour
      ctx.rect(p.x - WIDTH / 2 + 0.7, p.y - 4.6, WIDTH - 1.4, 4)
      ctx.fillStyle = s.colour
      ctx.fill()
    }
    let path = this.paths.get(s.glyph)
    if (!path) this.paths.set(s.glyph, (path = new Path2D((glyphs as Record<string, string>)[s.glyph] ?? glyphs.stone)))
    const k = 0.62 * scale
    ctx.translate(p.x - 12 * k, p.y - (HEIGHT - 2.4) * scale)
    ctx.scale(k, k)
    ctx.strokeStyle = s.selected ? palette.paper! : palette.ink!
    ctx.lineWidth = 2
    ctx.lineCap = 'round'
    ctx.stroke(path)
    ctx.restore()
  }

  /** Where a stone stood before it was moved, joined to where it stands. */
  private ghost(ctx: CanvasRenderingContext2D, was: Spot, now: Spot, palette: Palette): void {
    ctx.save()
    ctx.strokeStyle = palette.madder!
    ctx.lineWidth = 1.4
    ctx.setLineDash([3, 3])
    outline(ctx, was.x, was.y, 1)
    ctx.moveTo(was.x, was.y)
    ctx.lineTo(now.x, now.y)
    ctx.stroke()
    ctx.restore()
  }

  private label(ctx: CanvasRenderingContext2D, s: Stone, p: Spot, camera: Camera, palette: Palette): void {
    ctx.save()
    ctx.font = "500 15px 'Alegreya Sans'"
    ctx.textBaseline = 'middle'
    const width = ctx.measureText(s.name).width
    const left = p.x + 24 + width > camera.width
    const x = left ? p.x - 22 - width : p.x + 22
    const y = p.y - HEIGHT * (s.selected ? 1.3 : 1) - 8
    ctx.beginPath()
    ctx.moveTo(p.x, p.y - HEIGHT * (s.selected ? 1.15 : 0.85))
    ctx.lineTo(left ? x + width + 3 : x - 3, y + 9)
    ctx.lineTo(left ? x : x + width, y + 9)
    ctx.strokeStyle = palette.paper!
    ctx.lineWidth = 4
    ctx.stroke()
    ctx.strokeStyle = palette.ink!
    ctx.lineWidth = 1.2
    ctx.stroke()
    ctx.lineJoin = 'round'
    ctx.strokeStyle = palette.paper!
    ctx.lineWidth = 4
    ctx.strokeText(s.name, x, y)
    ctx.fillStyle = palette.ink!
    ctx.fillText(s.name, x, y)
    ctx.restore()
  }

  hit(at: Spot, camera: Camera, reach: number): Omit<Hit, 'layer'> | null {
    let best: Omit<Hit, 'layer'> | null = null
    for (const pile of this.piles(camera)) {
      const [s] = pile.stones as [Stone]
      const p = pile.at
      const scale = s.selected || pile.stones.length > 1 ? 1.3 : 1
      const dx = Math.max(0, Math.abs(at.x - p.x) - (WIDTH / 2) * scale)
      const dy = Math.max(0, p.y - HEIGHT * scale - at.y, at.y - p.y)
      const distance = Math.hypot(dx, dy)
      if (distance > reach || (best && distance > best.distance) || (best && distance === best.distance && !s.selected)) continue
      best = { id: pile.stones.length > 1 ? cairnId(pile) : s.id, distance }
      if (s.editable) best.drag = { move: (to) => this.moved(s.id, to), end: () => {} }
    }
    return best
  }
}

const CAIRN = 'cairn '
const cairnId = (p: Pile) => CAIRN + p.stones[0]!.id
export const isCairn = (id: string) => id.startsWith(CAIRN)
