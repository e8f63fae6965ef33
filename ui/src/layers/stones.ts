// Places as milestones: a block with parallel sides, a rounded head and a foot as wide as the head, the category's
// glyph on it.
// Where they crowd, they are piled up as a cairn with its count, which splits as one zooms in.

import glyphs from '@style/glyphs.json'
import { Camera, toWorld, type LatLng, type Spot } from '../chart/camera'
import type { Hit, Layer } from '../chart/chart'
import type { Painting } from '../chart/kept'
import { drawMargins, type Noted } from '../chart/margin'
import type { Palette } from '../chart/style'

export interface Stone {
  id: string
  at: LatLng
  name: string
  glyph: string
  /** The hash of a picture that stands for the glyph. */
  picture?: string
  colour: string
  /** Outside the ring: drawn faint. */
  faint: boolean
  selected: boolean
  /** In edit: may be dragged, and where it stood is shown. */
  editable: boolean
  /** Changed elsewhere a moment ago: marked. */
  fresh?: boolean
  was?: LatLng
  /** Shown by the outline of its building, which is drawn elsewhere. */
  outlined?: boolean
  /**
   * A cairn that the server has piled up: how many places it stands for, and the corners of the box that they lie in.
   */
  count?: number
  corners?: [LatLng, LatLng]
}

const WIDTH = 20
const HEIGHT = 27
/** Stones whose feet are nearer to each other than this, in pixels, are piled up. */
const CROWD = 26
/** From this zoom on every stone stands for itself. */
export const APART = 17

/** Piles made for a zoom hold so many levels round it, while the map flies. */
const LOOSE = 0.5

/** Stones piled up, or one that stands alone; at is the middle of their feet on the unit square of the world. */
interface Pile {
  at: Spot
  stones: Stone[]
  /** How many places it stands for. */
  count: number
}

const IN_HAND = (s: Stone) => s.selected || s.editable

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
  private list: Stone[] = []
  inHand: readonly Stone[] = []
  /** Where they stand on the unit square of the world, x, y, x, y …: worked out once, not with every frame. */
  private spots = new Float64Array(0)
  private paths = new Map<string, Path2D>()
  /**
   * What is piled up round a view: it holds as far as the patch reaches, and while the map flies at zooms not far off.
   */
  private patch: { camera: Camera; piles: Pile[] } | null = null

  /** When names stand in the margin, and the stone that is pointed at. */
  names: 'always' | 'pointed' | 'never' = 'pointed'
  /** What stands behind a name: how far it is and which way. */
  note: (id: string) => string = () => ''
  pointed: string | null = null

  private pictures = new Map<string, HTMLImageElement>()
  private readonly sprites = new Sprites()

  /** moved is called while a stone is dragged, dropped at its end; loaded when a picture has come. */
  constructor(
    private moved: (id: string, to: LatLng) => void,
    private dropped: () => void,
    private loaded: () => void,
  ) {}

  private picture(hash: string): HTMLImageElement | null {
    let one = this.pictures.get(hash)
    if (!one) {
      one = new Image()
      one.onload = () => this.loaded()
      one.src = `/v1/pictures/${hash}`
      this.pictures.set(hash, one)
    }
    return one.complete && one.naturalWidth ? one : null
  }

  get stones(): Stone[] {
    return this.list
  }

  set stones(list: Stone[]) {
    this.list = list
    this.inHand = list.filter(IN_HAND)
    this.patch = null
    this.spots = new Float64Array(2 * list.length)
    list.forEach((s, i) => {
      const w = toWorld(s.at)
      this.spots[2 * i] = w.x
      this.spots[2 * i + 1] = w.y
    })
  }

  /**
   * The piles round a view and a screen beyond, worked out anew when the zoom is too far off or the view has left them.
   */
  private piles(camera: Camera, loose = LOOSE): Pile[] {
    const known = this.patch?.camera
    const at = known?.worldToScreen(camera.centre)
    const k = known ? known.size / camera.size / 2 : 0
    const [w, h] = camera.view.rotation
      ? [Math.hypot(camera.width, camera.height) * k, Math.hypot(camera.width, camera.height) * k]
      : [camera.width * k, camera.height * k]
    if (
      !known ||
      !at ||
      Math.abs(known.view.zoom - camera.view.zoom) > loose ||
      at.x < w ||
      at.y < h ||
      at.x > known.width - w ||
      at.y > known.height - h
    ) {
      const wide = new Camera(
        { ...camera.view, rotation: 0 },
        2.4 * Math.max(camera.width, camera.height),
        2.4 * Math.max(camera.width, camera.height),
      )
      this.patch = { camera: wide, piles: this.pile(wide) }
    }
    return this.patch!.piles
  }

  /**
   * Piles up what crowds, in the order of the stones, so that a pile stays as one pans. Those in hand stand for
   * themselves.
   */
  private pile(camera: Camera): Pile[] {
    const out: Pile[] = []
    const crowd = CROWD / camera.size
    const reach = (camera.width / 2 + 60) / camera.size
    // The last pile of each cell of a grid, and the pile before it in the same cell: a pile has no other within its
    // reach but in the nine cells round it.
    const columns = Math.ceil((2 * reach) / crowd) + 3
    const last = new Int32Array(2 * columns * columns).fill(-1)
    const before: number[] = []
    for (let i = 0; i < this.list.length; i++) {
      const [x, y] = [this.spots[2 * i]!, this.spots[2 * i + 1]!]
      let dx = x - camera.centre.x
      dx -= Math.round(dx)
      const dy = y - camera.centre.y
      if (Math.abs(dx) > reach || Math.abs(dy) > reach) continue
      const s = this.list[i]!
      if (IN_HAND(s) || s.outlined) continue
      const count = s.count ?? 1
      const key =
        ((Math.floor((dy + reach) / crowd) + 1) * columns + Math.floor((dx + reach) / crowd) + 1) * 2 + Number(s.faint)
      let near = -1
      if (camera.view.zoom < APART || count > 1)
        for (let row = key - 2 * columns - 2; row <= key + 2 * columns - 2 && near < 0; row += 2 * columns)
          for (let cell = row; cell <= row + 4 && near < 0; cell += 2)
            for (let k = last[cell]!; k >= 0; k = before[k]!) {
              const o = out[k]!.at
              let ox = o.x - x
              ox -= Math.round(ox)
              if (ox * ox + (o.y - y) ** 2 < crowd * crowd) near = k
            }
      if (near >= 0) {
        out[near]!.stones.push(s)
        out[near]!.count += count
        continue
      }
      before.push(last[key]!)
      last[key] = out.length
      out.push({ at: { x, y }, stones: [s], count })
    }
    return out
  }

  /** The piles on a screen, each with the pixel that it stands on. */
  onScreen(camera: Camera, loose = LOOSE): { pile: Pile; p: Spot }[] {
    const out: { pile: Pile; p: Spot }[] = []
    for (const pile of this.piles(camera, loose)) {
      const p = camera.worldToScreen(pile.at)
      if (p.x > -60 && p.y > -30 && p.x < camera.width + 60 && p.y < camera.height + 60) out.push({ pile, p })
    }
    return out
  }

  /** The places of the cairn with an id, or the corners of where they lie, for whoever wants to look into it. */
  inCairn(id: string, camera: Camera): LatLng[] {
    return (
      this.piles(camera)
        .find((p) => p.count > 1 && cairnId(p) === id)
        ?.stones.flatMap((s) => s.corners ?? [s.at]) ?? []
    )
  }

  *paint(ctx: CanvasRenderingContext2D, camera: Camera, palette: Palette): Painting {
    for (const one of this.inOrder(camera, 0)) {
      this.stamp(ctx, one.pile, one.p, palette)
      yield
    }
  }

  /** The same at once, as they are piled up already where that is not far off. */
  flying(ctx: CanvasRenderingContext2D, camera: Camera, palette: Palette): void {
    for (const { pile, p } of this.inOrder(camera, LOOSE)) this.stamp(ctx, pile, p, palette)
  }

  /** The farther ones first, so that the nearer stand before them. */
  private inOrder(camera: Camera, loose: number): { pile: Pile; p: Spot }[] {
    return this.onScreen(camera, loose).sort(
      (a, b) => Number(b.pile.stones[0]!.faint) - Number(a.pile.stones[0]!.faint) || a.p.y - b.p.y,
    )
  }

  lettered(): void {
    this.sprites.forget()
  }
  /** Draws a stone or a cairn from its sprite. */
  private stamp(ctx: CanvasRenderingContext2D, pile: Pile, p: Spot, palette: Palette): void {
    const [s] = pile.stones as [Stone]
    const picture = pile.count > 1 || !s.picture ? null : this.picture(s.picture)
    const key =
      pile.count > 1
        ? `${pile.count} ${s.faint}`
        : `${s.glyph} ${picture ? s.picture : ''} ${s.colour} ${s.faint} ${s.fresh}`
    this.sprites.draw(ctx, key, p, palette, (c, at) =>
      pile.count > 1 ? this.cairn(c, at, pile.count, s.faint, palette) : this.stone(c, s, at, palette),
    )
  }

  drawn(): boolean {
    return this.inHand.length > 0 || this.names === 'always' || (this.names === 'pointed' && !!this.pointed)
  }

  draw(ctx: CanvasRenderingContext2D, camera: Camera, palette: Palette): void {
    for (const s of this.inHand) {
      const p = camera.toScreen(s.at)
      if (s.was) this.ghost(ctx, camera.toScreen(s.was), p, palette)
      if (!s.outlined) this.stone(ctx, s, p, palette)
    }
    drawMargins(ctx, camera, palette, this.noted(camera))
  }

  /**
   * What is named in the margin: what is in hand first, then what is pointed at, or all that stand for themselves, the
   * nearest to the middle first.
   */
  noted(camera: Camera): Noted[] {
    const head = (p: Spot, scale: number) => ({ x: p.x, y: p.y - HEIGHT * scale * 0.85 })
    const out: Noted[] = this.inHand
      .filter((s) => s.selected)
      .map((s) => ({ text: this.label(s), at: head(camera.toScreen(s.at), 1.3), strong: true }))
    if (this.names === 'never') return out
    const found: { n: Noted; far: number }[] = []
    for (const { pile, p } of this.onScreen(camera)) {
      const [s] = pile.stones as [Stone]
      if (pile.count > 1 || (this.names === 'pointed' && s.id !== this.pointed)) continue
      if (p.x < 0 || p.y < 0 || p.x > camera.width || p.y > camera.height || !s.name) continue
      found.push({
        n: { text: this.label(s), at: head(p, 1), strong: false },
        far: Math.hypot(p.x - camera.width / 2, p.y - camera.height / 2),
      })
    }
    return [...out, ...found.sort((a, b) => a.far - b.far).map((f) => f.n)]
  }

  private label(s: Stone): string {
    const note = this.note(s.id)
    return note && s.name ? `${s.name} · ${note}` : s.name
  }

  /** The ground's names keep clear of stones and cairns. */
  obstacles(camera: Camera): number[][] {
    return [...this.onScreen(camera, 0), ...this.inHand.map((s) => ({ pile: null, p: camera.toScreen(s.at) }))].map(
      ({ pile, p }) => {
        const half = pile && pile.count > 1 ? 18 : WIDTH / 2 + 2
        return [p.x - half, p.y - HEIGHT - 4, p.x + half, p.y + 2]
      },
    )
  }

  /** Three stones piled up, with their count on a label. */
  private cairn(ctx: CanvasRenderingContext2D, p: Spot, count: number, faint: boolean, palette: Palette): void {
    ctx.save()
    ctx.globalAlpha = faint ? 0.5 : 1
    ctx.lineWidth = 1.3
    ctx.strokeStyle = palette.ink!
    ctx.fillStyle = palette.card!
    for (const [dx, dy, w, h] of [
      [-8, -4.5, 9, 5],
      [8.5, -4.2, 8.5, 4.7],
      [-0.5, -25.5, 7.5, 4.5],
      [0.5, -15, 12.5, 8.2],
    ] as const) {
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
    if (s.fresh) {
      // A second outline round it: seen at a glance, and not by its colour alone.
      outline(ctx, p.x, p.y + 3.5, scale * 1.42)
      ctx.strokeStyle = palette.verdigris!
      ctx.lineWidth = 2.6
      ctx.stroke()
    }
    const picture = s.picture && this.picture(s.picture)
    if (picture) {
      const side = 14.5 * scale
      ctx.drawImage(picture, p.x - side / 2, p.y - (HEIGHT - 4) * scale, side, side)
      ctx.restore()
      return
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

  hit(at: Spot, camera: Camera, reach: number): Omit<Hit, 'layer'> | null {
    let best: Omit<Hit, 'layer'> | null = null
    const off = (p: Spot, scale: number) =>
      Math.hypot(
        Math.max(0, Math.abs(at.x - p.x) - (WIDTH / 2) * scale),
        Math.max(0, p.y - HEIGHT * scale - at.y, at.y - p.y),
      )
    for (const { pile, p } of this.onScreen(camera)) {
      const distance = off(p, pile.count > 1 ? 1.3 : 1)
      if (distance <= reach && !(best && distance >= best.distance))
        best = { id: pile.count > 1 ? cairnId(pile) : pile.stones[0]!.id, distance }
    }
    for (const s of this.inHand) {
      const distance = off(camera.toScreen(s.at), 1.3)
      if (distance > reach || (best && distance > best.distance)) continue
      best = { id: s.id, distance }
      if (s.editable) best.drag = { move: (to) => this.moved(s.id, to), end: () => this.dropped() }
    }
    return best
  }
}

/** Small pictures of what is drawn many times, each drawn once for a palette and a pixel ratio. */
class Sprites {
  private kept = new Map<string, HTMLCanvasElement>()
  private palette: Palette | null = null
  private ratio = 0

  forget(): void {
    this.kept.clear()
  }
  /** Draws what has a key at a spot, on whole device pixels; make draws it with its foot at a spot. */
  draw(
    ctx: CanvasRenderingContext2D,
    key: string,
    p: Spot,
    palette: Palette,
    make: (ctx: CanvasRenderingContext2D, at: Spot) => void,
  ): void {
    const ratio = ctx.getTransform().a
    if (palette !== this.palette || ratio !== this.ratio || this.kept.size > MOST_SPRITES) this.kept.clear()
    this.palette = palette
    this.ratio = ratio
    let sprite = this.kept.get(key)
    if (!sprite) {
      sprite = document.createElement('canvas')
      sprite.width = Math.ceil(SPRITE.width * ratio)
      sprite.height = Math.ceil(SPRITE.height * ratio)
      const c = sprite.getContext('2d', { willReadFrequently: true })!
      c.setTransform(ratio, 0, 0, ratio, 0, 0)
      make(c, { x: SPRITE.x, y: SPRITE.y })
      this.kept.set(key, sprite)
    }
    ctx.drawImage(
      sprite,
      Math.round((p.x - SPRITE.x) * ratio) / ratio,
      Math.round((p.y - SPRITE.y) * ratio) / ratio,
      sprite.width / ratio,
      sprite.height / ratio,
    )
  }
}
const MOST_SPRITES = 600
/** How large they are, and where in them the foot stands, in pixels. */
const SPRITE = { width: 44, height: 54, x: 22, y: 44 }

const CAIRN = 'cairn '
const cairnId = (p: Pile) => CAIRN + p.stones[0]!.id
export const isCairn = (id: string) => id.startsWith(CAIRN)
