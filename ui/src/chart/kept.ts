// What is drawn over the ground and only moves with it, kept as a picture somewhat larger than the screen: while the map
// moves it is laid down anew instead of drawn anew, coarser while the map zooms or turns, sharp at rest.

import { Camera, type Spot } from './camera'

const MARGIN = 110

export class Kept {
  private canvas: HTMLCanvasElement | null = null
  private frame = ''
  private state = ''
  private zoom = 0
  private rotation = 0
  private centre: Spot = { x: 0, y: 0 }

  /** Shows what paint draws; state stands for all that it depends on besides the view. While the map is turning an older picture will do. */
  show(over: CanvasRenderingContext2D, camera: Camera, ratio: number, state: string, turning: boolean, paint: (ctx: CanvasRenderingContext2D, camera: Camera) => void): void {
    const { zoom, rotation } = camera.view
    const frame = `${camera.width} ${camera.height} ${ratio}`
    const turn = ((rotation - this.rotation + 540) % 360) - 180
    let at = camera.worldToScreen(this.centre)
    const near = Math.abs(at.x - camera.width / 2) <= MARGIN && Math.abs(at.y - camera.height / 2) <= MARGIN
    const good = this.frame === frame && near && (turning ? Math.abs(zoom - this.zoom) < 0.4 && Math.abs(turn) < 20 : this.state === state && zoom === this.zoom && turn === 0)
    if (!good) {
      this.canvas ??= document.createElement('canvas')
      const wide = new Camera(camera.view, camera.width + 2 * MARGIN, camera.height + 2 * MARGIN)
      this.canvas.width = Math.round(wide.width * ratio)
      this.canvas.height = Math.round(wide.height * ratio)
      const ctx = this.canvas.getContext('2d')!
      ctx.setTransform(ratio, 0, 0, ratio, 0, 0)
      paint(ctx, wide)
      Object.assign(this, { frame, state, zoom, rotation, centre: camera.centre })
      at = camera.worldToScreen(this.centre)
    }
    over.save()
    over.setTransform(1, 0, 0, 1, 0, 0)
    const { width, height } = this.canvas!
    if (zoom === this.zoom && rotation === this.rotation)
      over.drawImage(this.canvas!, Math.round((at.x - camera.width / 2 - MARGIN) * ratio), Math.round((at.y - camera.height / 2 - MARGIN) * ratio))
    else {
      const k = 2 ** (zoom - this.zoom)
      over.translate(at.x * ratio, at.y * ratio)
      over.rotate((-(rotation - this.rotation) * Math.PI) / 180)
      over.scale(k, k)
      over.imageSmoothingQuality = 'low'
      over.drawImage(this.canvas!, -width / 2, -height / 2)
    }
    over.restore()
  }

  /** Forgets the picture. */
  drop(): void {
    this.frame = ''
  }
}
