// The hand on the map: drag with inertia, wheel, pinch and twist, double click; with Shift it draws a box to zoom to,
// with Alt or the other button it turns the map. A press that moved is never a click.

import { shortestTurn, type Spot } from './camera'

export interface HandTarget {
  /** Something under the pixel that is dragged instead of the map, or null. */
  grab(at: Spot, touch: boolean): { move(at: Spot): void; end(): void } | null
  /** Moves the map; pinched tells that two fingers zoom it at the same time. */
  pan(dx: number, dy: number, pinched: boolean): void
  /** Zooms by so many levels, keeping the position under a pixel. */
  zoom(by: number, at: Spot): void
  /** Comes to rest on a zoom step; a whole number of levels is animated. */
  settle(by: number, at: Spot): void
  click(at: Spot, touch: boolean): void
  /** Turns the map by degrees clockwise, keeping the position under a pixel. */
  turn(by: number, at: Spot): void
  /** A box is drawn from one pixel to another, and zoomed to when done. */
  box(from: Spot, to: Spot, done: boolean): void
  hover(at: Spot | null): void
  glide(vx: number, vy: number): void
  stop(): void
}

const SLOP = { mouse: 4, touch: 9 }

export class Hand {
  private pointers = new Map<number, Spot>()
  private began: Spot = { x: 0, y: 0 }
  private moved = false
  private held: ReturnType<HandTarget['grab']> = null
  private trail: { t: number; at: Spot }[] = []
  private spread = 0
  private twist = 0
  private twisting = false
  private doing: 'pan' | 'turn' | 'box' = 'pan'
  private lastTap = { t: 0, x: 0, y: 0 }
  private settling = 0
  private drop: AbortController = new AbortController()

  constructor(
    private element: HTMLElement,
    private target: HandTarget,
  ) {
    const on = <K extends keyof HTMLElementEventMap>(name: K, f: (e: HTMLElementEventMap[K]) => void) =>
      element.addEventListener(name, f as EventListener, { signal: this.drop.signal, passive: false })
    on('pointerdown', (e) => this.down(e))
    on('pointermove', (e) => this.move(e))
    on('pointerup', (e) => this.up(e))
    on('pointercancel', (e) => this.up(e, true))
    on('pointerleave', () => target.hover(null))
    on('wheel', (e) => this.wheel(e))
    on('contextmenu', (e) => e.preventDefault())
  }

  dispose(): void {
    this.drop.abort()
    clearTimeout(this.settling)
  }

  private spotOf(e: { clientX: number; clientY: number }): Spot {
    const box = this.element.getBoundingClientRect()
    return { x: e.clientX - box.left, y: e.clientY - box.top }
  }

  private down(e: PointerEvent): void {
    if (e.button !== 0 && e.button !== 2) return
    this.element.setPointerCapture(e.pointerId)
    const at = this.spotOf(e)
    this.pointers.set(e.pointerId, at)
    this.target.stop()
    if (this.pointers.size === 1) {
      this.began = at
      this.moved = false
      this.trail = [{ t: e.timeStamp, at }]
      this.doing = e.button === 2 || e.altKey ? 'turn' : e.shiftKey ? 'box' : 'pan'
      this.held = this.doing === 'pan' ? this.target.grab(at, e.pointerType !== 'mouse') : null
    } else {
      this.held?.end()
      this.held = null
      this.moved = true
      this.trail = [] // two fingers do not throw
      this.spread = this.distance()
      this.twist = this.angle()
      this.twisting = false
      this.doing = 'pan'
    }
  }

  /** The direction from one finger to the other, in degrees. */
  private angle(): number {
    const [a, b] = [...this.pointers.values()]
    return a && b ? (Math.atan2(b.y - a.y, b.x - a.x) * 180) / Math.PI : 0
  }

  private distance(): number {
    const [a, b] = [...this.pointers.values()]
    return a && b ? Math.hypot(a.x - b.x, a.y - b.y) : 0
  }

  private move(e: PointerEvent): void {
    const at = this.spotOf(e)
    const before = this.pointers.get(e.pointerId)
    if (!before) {
      if (e.pointerType === 'mouse') this.target.hover(at)
      return
    }
    const slop = e.pointerType === 'mouse' ? SLOP.mouse : SLOP.touch
    if (!this.moved && Math.hypot(at.x - this.began.x, at.y - this.began.y) <= slop) return
    this.moved = true
    this.pointers.set(e.pointerId, at)
    if (this.held) {
      this.held.move(at)
      return
    }
    if (this.doing === 'box') return this.target.box(this.began, at, false)
    if (this.doing === 'turn') {
      const middle = { x: this.element.clientWidth / 2, y: this.element.clientHeight / 2 }
      const towards = (p: Spot) => (Math.atan2(p.y - middle.y, p.x - middle.x) * 180) / Math.PI
      return this.target.turn(shortestTurn(towards(at) - towards(before)), middle)
    }
    if (this.pointers.size === 1) {
      this.target.pan(at.x - before.x, at.y - before.y, false)
      this.trail.push({ t: e.timeStamp, at })
      if (this.trail.length > 6) this.trail.shift()
      return
    }
    const spread = this.distance()
    const [a, b] = [...this.pointers.values()]
    this.target.pan((at.x - before.x) / 2, (at.y - before.y) / 2, true)
    if (this.spread > 0 && spread > 0)
      this.target.zoom(Math.log2(spread / this.spread), { x: (a!.x + b!.x) / 2, y: (a!.y + b!.y) / 2 })
    this.spread = spread
    // Fingers never close quite straight: the map turns once they mean it.
    const turned = shortestTurn(this.angle() - this.twist)
    if (this.twisting || Math.abs(turned) > 12) {
      if (this.twisting) this.target.turn(turned, { x: (a!.x + b!.x) / 2, y: (a!.y + b!.y) / 2 })
      this.twisting = true
      this.twist = this.angle()
    }
  }

  private up(e: PointerEvent, cancelled = false): void {
    if (!this.pointers.delete(e.pointerId)) return
    const at = this.spotOf(e)
    if (this.pointers.size > 0) return
    if (this.held && this.moved) {
      this.held.end()
      this.held = null
      return
    }
    this.held = null
    if (this.doing === 'box' && this.moved) return this.target.box(this.began, at, !cancelled)
    if (cancelled) return
    if (this.doing === 'turn') return this.moved ? this.target.settle(0, at) : undefined
    if (!this.moved) {
      const twice = e.timeStamp - this.lastTap.t < 320 && Math.hypot(at.x - this.lastTap.x, at.y - this.lastTap.y) < 24
      this.lastTap = { t: twice ? 0 : e.timeStamp, x: at.x, y: at.y }
      if (twice) this.target.settle(1, at)
      else this.target.click(at, e.pointerType !== 'mouse')
      return
    }
    const first = this.trail.find((p) => e.timeStamp - p.t < 90)
    if (first && e.timeStamp - first.t > 10) {
      const seconds = (e.timeStamp - first.t) / 1000
      this.target.glide((at.x - first.at.x) / seconds, (at.y - first.at.y) / seconds)
    } else this.target.settle(0, at)
  }

  private wheel(e: WheelEvent): void {
    e.preventDefault()
    this.target.stop()
    const at = this.spotOf(e)
    const pixels = e.deltaY * (e.deltaMode === 1 ? 16 : e.deltaMode === 2 ? 120 : 1)
    this.target.zoom(Math.max(-1, Math.min(1, -pixels / (e.ctrlKey ? 90 : 260))), at)
    clearTimeout(this.settling)
    this.settling = window.setTimeout(() => this.target.settle(0, at), 130)
  }
}
