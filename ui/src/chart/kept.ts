// What is drawn over the ground and only moves with it, kept as a picture somewhat larger than the screen: while the map is
// dragged it is laid down anew instead of drawn anew.

import { Camera, type Spot } from './camera'

const MARGIN = 110

export class Kept {
  private canvas: HTMLCanvasElement | null = null
  private key = ''
  private lastKey = ''
  private centre: Spot = { x: 0, y: 0 }

  /** Shows what paint draws; state stands for all that it depends on besides the view. */
  show(over: CanvasRenderingContext2D, camera: Camera, ratio: number, state: string, paint: (ctx: CanvasRenderingContext2D, camera: Camera) => void): void {
    const { zoom, rotation } = camera.view
    const key = `${zoom} ${rotation} ${camera.width} ${camera.height} ${ratio} ${state}`
    const steady = key === this.lastKey
    this.lastKey = key
    if (!steady) return paint(over, camera) // a picture would not be shown twice
    const moved = () => {
      const s = camera.worldToScreen(this.centre)
      return { x: s.x - camera.width / 2, y: s.y - camera.height / 2 }
    }
    let by = moved()
    if (this.key !== key || Math.abs(by.x) > MARGIN || Math.abs(by.y) > MARGIN) {
      this.canvas ??= document.createElement('canvas')
      const wide = new Camera(camera.view, camera.width + 2 * MARGIN, camera.height + 2 * MARGIN)
      this.canvas.width = Math.round(wide.width * ratio)
      this.canvas.height = Math.round(wide.height * ratio)
      const ctx = this.canvas.getContext('2d')!
      ctx.setTransform(ratio, 0, 0, ratio, 0, 0)
      paint(ctx, wide)
      this.key = key
      this.centre = camera.centre
      by = moved()
    }
    over.save()
    over.setTransform(1, 0, 0, 1, 0, 0)
    over.drawImage(this.canvas!, Math.round((by.x - MARGIN) * ratio), Math.round((by.y - MARGIN) * ratio))
    over.restore()
  }
}
