// What only moves with the map is kept as a picture somewhat larger than the screen, and the browser moves the picture:
// a frame of a drag then draws nothing. The next picture is painted behind it, a little with every frame, and fades in
// once it is done. While the map zooms or turns the older one is stretched meanwhile; what has a size of its own fades
// as it is, or is drawn by its layer with every frame instead.

import { Camera, shortestTurn, type Spot } from './camera'

const FADE_MS = 140
/** So much is drawn between looks at the clock: little while little time is given. */
const BATCH = { short: 4, long: 32 }
const LONG_MS = 10
/**
 * Stretched by more levels of zoom than the first, or turned by more degrees, names fade; at the last they are gone,
 * before they are a third above their size.
 */
const FADING = { zoomed: { from: 0.15, gone: 0.4 }, turned: { from: 15, gone: 40 } }

/** Paints and yields wherever it may be interrupted. */
export type Painting = Generator<void, void, void>

/** How a picture is kept. */
export interface Keeping {
  /** How far it reaches beyond the screen, in pixels. */
  margin: number
  /** Painted a little with every frame, behind the one that is shown, instead of at once. */
  sliced: boolean
  /** How far it may be off before the next one is begun: as a share of the margin, in levels of zoom, in degrees. */
  begin: { moved: number; zoomed: number; turned: number }
  order: number
  /**
   * What becomes of it at another zoom or turn: it is stretched; it fades, too; it is hidden, and its layer draws with
   * every frame.
   */
  off: 'stretched' | 'fades' | 'hidden'
}

interface Picture {
  canvas: HTMLCanvasElement
  frame: string
  state: string
  zoom: number
  rotation: number
  centre: Spot
}

export class Kept {
  private front: Picture | null = null
  private before: Picture | null = null
  private back: Picture | null = null
  private painting: Painting | null = null
  private shownSince = 0

  constructor(
    private readonly stack: HTMLElement,
    private readonly keeping: Keeping,
  ) {}

  /**
   * Puts the picture where it belongs and paints at the next one until the deadline, in performance.now's milliseconds.
   * state stands for all that it depends on besides the view; null while that is not known yet, so that no picture is
   * begun. The next picture is made for the goal, where the map is about to be. False when the picture is the right one
   * and nothing is left to be done.
   */
  show(
    camera: Camera,
    ratio: number,
    state: string | null,
    deadline: number,
    paint: (ctx: CanvasRenderingContext2D, camera: Camera) => Painting,
    goal = camera,
  ): boolean {
    const { margin, sliced } = this.keeping
    const frame = `${camera.width} ${camera.height} ${ratio}`
    if (this.front && this.front.frame !== frame) this.drop()
    if (
      !this.painting &&
      state !== null &&
      (!this.front || this.front.state !== state || this.isOff(goal, this.front))
    ) {
      const wide = new Camera(goal.view, camera.width + 2 * margin, camera.height + 2 * margin)
      this.before?.canvas.remove()
      const canvas = (sliced ? this.before?.canvas : this.front?.canvas) ?? this.canvas(wide, ratio)
      this.before = null
      const ctx = canvas.getContext('2d', { willReadFrequently: sliced })!
      ctx.setTransform(1, 0, 0, 1, 0, 0)
      ctx.clearRect(0, 0, canvas.width, canvas.height)
      ctx.setTransform(ratio, 0, 0, ratio, 0, 0)
      this.back = { canvas, frame, state, zoom: goal.view.zoom, rotation: goal.view.rotation, centre: goal.centre }
      this.painting = paint(ctx, wide)
    }
    const batch = deadline - performance.now() > LONG_MS ? BATCH.long : BATCH.short
    for (let n = 1; this.painting && (!sliced || !this.front || performance.now() < deadline); n++) {
      const done = this.painting.next().done
      // A canvas only notes what is drawn; reading from it has it drawn now, so that the clock tells what it took.
      if (sliced && this.front && (done || n % batch === 0))
        this.back!.canvas.getContext('2d')!.getImageData(0, 0, 1, 1)
      if (done) this.reveal()
    }
    const fading = this.fading()
    if (!fading) this.before?.canvas.remove()
    for (const p of [this.before, this.front]) if (p) this.place(camera, ratio, p)
    return !!this.painting || fading || !this.front || this.front.state !== state || !this.isSharp(camera, this.front)
  }

  private canvas(wide: Camera, ratio: number): HTMLCanvasElement {
    const c = document.createElement('canvas')
    c.width = Math.round(wide.width * ratio)
    c.height = Math.round(wide.height * ratio)
    const { margin } = this.keeping
    c.style.cssText =
      `position:absolute;left:${-margin}px;top:${-margin}px;width:${wide.width}px;height:${wide.height}px;` +
      `max-width:none;will-change:transform;z-index:${this.keeping.order}`
    return c
  }

  private reveal(): void {
    this.painting = null
    if (this.keeping.sliced) this.before = this.front
    this.front = this.back!
    this.back = null
    const fades =
      !!this.before &&
      (this.keeping.off !== 'hidden' ||
        (this.before.zoom === this.front.zoom && this.before.rotation === this.front.rotation)) &&
      !matchMedia('(prefers-reduced-motion: reduce)').matches
    this.shownSince = fades ? performance.now() : -Infinity
    // Above the one before; while it was painted the browser had nothing to do with it.
    this.stack.append(this.front.canvas)
    if (fades) this.front.canvas.animate({ opacity: [0, 1] }, FADE_MS)
  }

  private fading(): boolean {
    return performance.now() - this.shownSince < FADE_MS
  }

  private isSharp(camera: Camera, p: Picture): boolean {
    return p.zoom === camera.view.zoom && p.rotation === camera.view.rotation
  }

  private isOff(camera: Camera, p: Picture): boolean {
    const { margin, begin } = this.keeping
    const at = camera.worldToScreen(p.centre)
    return (
      Math.max(Math.abs(at.x - camera.width / 2), Math.abs(at.y - camera.height / 2)) > margin * begin.moved ||
      Math.abs(camera.view.zoom - p.zoom) > begin.zoomed ||
      Math.abs(shortestTurn(camera.view.rotation - p.rotation)) > begin.turned
    )
  }

  /** How opaque a picture is at the camera's zoom, which may be so much farther off by the time that it is seen. */
  private opacity(camera: Camera, p: Picture, farther = 0): number {
    if (this.keeping.off === 'stretched' || this.isSharp(camera, p)) return 1
    if (this.keeping.off === 'hidden') return 0
    const left = (off: number, { from, gone }: { from: number; gone: number }) =>
      Math.max(0, Math.min(1, (gone - off) / (gone - from)))
    return (
      left(Math.abs(camera.view.zoom - p.zoom) + farther, FADING.zoomed) *
      left(Math.abs(shortestTurn(camera.view.rotation - p.rotation)), FADING.turned)
    )
  }

  /** Whether the picture stands for what it shows: its layer draws nothing itself. */
  stands(camera: Camera): boolean {
    return !!this.front && this.opacity(camera, this.front) > 0
  }

  private place(camera: Camera, ratio: number, p: Picture): void {
    const opacity = this.opacity(camera, p)
    p.canvas.style.opacity = opacity === 1 ? '' : String(opacity)
    const at = camera.worldToScreen(p.centre)
    const [x, y] = [at.x - camera.width / 2, at.y - camera.height / 2]
    const turned = `rotate(${p.rotation - camera.view.rotation}deg) scale(${2 ** (camera.view.zoom - p.zoom)})`
    p.canvas.style.transform = this.isSharp(camera, p)
      ? `translate(${Math.round(x * ratio) / ratio}px,${Math.round(y * ratio) / ratio}px)`
      : `translate(${x}px,${y}px) ${turned}`
  }

  /** Whether the picture is made for a camera's zoom and turn, and the next one is not begun. */
  isFor(camera: Camera): boolean {
    return !this.painting && !!this.front && this.isSharp(camera, this.front)
  }

  get shown(): boolean {
    return !!this.front
  }

  /** Whether the picture is turned as the map is. */
  isUpright(camera: Camera): boolean {
    return this.front?.rotation === camera.view.rotation
  }

  /**
   * Hides the pictures, while they are drawn onto the ground instead, or shows them again as far as they are not faded
   * away.
   */
  veil(hidden: boolean): void {
    for (const p of [this.before, this.front])
      if (p) p.canvas.style.visibility = hidden || p.canvas.style.opacity === '0' ? 'hidden' : 'visible'
  }

  /**
   * Draws the picture onto a canvas of another camera's size, which may be stretched by so many levels of zoom itself.
   */
  copyTo(ctx: CanvasRenderingContext2D, camera: Camera, ratio: number, farther = 0): void {
    const p = this.front
    const opacity = p ? this.opacity(camera, p, farther) : 0
    if (!p || !opacity) return
    ctx.globalAlpha = opacity
    const at = camera.worldToScreen(p.centre)
    const { width, height } = p.canvas
    ctx.setTransform(1, 0, 0, 1, 0, 0)
    if (this.isSharp(camera, p))
      ctx.drawImage(p.canvas, Math.round(at.x * ratio - width / 2), Math.round(at.y * ratio - height / 2))
    else {
      const k = 2 ** (camera.view.zoom - p.zoom)
      ctx.translate(at.x * ratio, at.y * ratio)
      ctx.rotate(((p.rotation - camera.view.rotation) * Math.PI) / 180)
      ctx.scale(k, k)
      ctx.drawImage(p.canvas, -width / 2, -height / 2)
    }
    ctx.globalAlpha = 1
  }

  /** Once the map rests: a picture that is stretched, or the start of one, makes way for a sharp one. */
  sharpen(camera: Camera): void {
    if (this.painting && this.back && !this.isSharp(camera, this.back)) {
      this.painting = this.back = null
    }
    if (this.front && !this.isSharp(camera, this.front)) this.front.state = ''
  }

  /** Forgets the pictures. */
  drop(): void {
    for (const p of [this.front, this.before]) p?.canvas.remove()
    this.front = this.before = this.back = this.painting = null
  }
}
