// Where the device is: a sighting mark with a long hair towards its heading, its accuracy round it; where it lies
// outside the map, a mark at the edge with how far and which way. It is drawn with each frame, since it moves.

import type { Camera, LatLng, Spot } from '../chart/camera'
import type { Hit, Layer } from '../chart/chart'
import type { Palette } from '../chart/style'
import { destination, distanceM } from '../chart/geodesic'

const STEPS = 48
const EDGE = 26
const FONT = "'Alegreya Sans'"

export class Here implements Layer {
  readonly order = 60
  /** Where it is at a moment; null where that is not known. */
  at: (now: number) => LatLng | null = () => null
  moves: (now: number) => boolean = () => false
  accuracyM = 0
  /** Where it points or goes, in degrees; null where that is not known, and then no hair is long. */
  headingDeg: number | null = null
  /** The heading cannot be trusted: the long hair is dashed. */
  doubtful = false
  /** It is known only roughly; its position is old; it only pretends. */
  coarse = false
  stale = false
  simulated = false
  private edge: Spot | null = null

  constructor(private written: (metres: number) => string) {}

  drawn(): boolean {
    return !!this.at(performance.now())
  }

  looks(camera: Camera): string {
    const at = this.at(performance.now())
    if (!at) return 'nowhere'
    const p = camera.toScreen(at)
    const inside = p.x >= 0 && p.y >= 0 && p.x <= camera.width && p.y <= camera.height
    const up = this.headingDeg === null ? '-' : Math.round(this.headingDeg - camera.view.rotation)
    const flags = [this.doubtful, this.coarse, this.stale, this.simulated].map(Number).join('')
    const radius = Math.round(this.accuracyM / camera.metresPerPixel)
    // A mark at the edge has its distance written beside it.
    const seen = inside ? '' : `${camera.view.lat} ${camera.view.lng} ${at.lat} ${at.lng}`
    return `${Math.round(p.x * 2)} ${Math.round(p.y * 2)} ${up} ${radius} ${flags} ${seen}`
  }

  draw(ctx: CanvasRenderingContext2D, camera: Camera, palette: Palette): void {
    const at = this.at(performance.now())
    this.edge = null
    if (!at) return
    const p = camera.toScreen(at)
    ctx.save()
    ctx.lineCap = 'round'
    const inside = p.x >= 0 && p.y >= 0 && p.x <= camera.width && p.y <= camera.height
    if (inside) {
      this.accuracy(ctx, camera, palette, at)
      this.mark(ctx, palette, p, camera.view.rotation)
    } else this.atEdge(ctx, camera, palette, at, p)
    ctx.restore()
  }

  private accuracy(ctx: CanvasRenderingContext2D, camera: Camera, palette: Palette, at: LatLng): void {
    if (this.accuracyM / camera.metresPerPixel < 11) return
    ctx.beginPath()
    for (let i = 0; i < STEPS; i++) {
      const s = camera.toScreen(destination(at, (i * 360) / STEPS, this.accuracyM))
      if (i) ctx.lineTo(s.x, s.y)
      else ctx.moveTo(s.x, s.y)
    }
    ctx.closePath()
    ctx.globalAlpha = this.coarse ? 0.16 : 0.1
    ctx.fillStyle = palette.madder!
    ctx.fill()
    ctx.globalAlpha = 1
    ctx.setLineDash(this.coarse ? [3, 7] : [5, 4])
    ctx.strokeStyle = palette.madder!
    ctx.lineWidth = 1.3
    ctx.stroke()
    ctx.setLineDash([])
  }

  private mark(ctx: CanvasRenderingContext2D, palette: Palette, p: Spot, rotation: number): void {
    const ink = this.stale ? palette.slate! : palette.madder!
    const up = this.headingDeg === null ? null : ((this.headingDeg - rotation) * Math.PI) / 180
    const along = (angle: number, r: number) => ({ x: p.x + r * Math.sin(angle), y: p.y - r * Math.cos(angle) })
    for (const [colour, width] of [
      [palette.paper!, 5.5],
      [ink, 2.4],
    ] as const) {
      ctx.strokeStyle = colour
      ctx.lineWidth = width
      ctx.setLineDash(this.simulated ? [4.2, 3.6] : [])
      ctx.beginPath()
      ctx.arc(p.x, p.y, 10, 0, 7)
      ctx.stroke()
      ctx.setLineDash([])
      ctx.beginPath()
      for (let i = 0; i < 4; i++) {
        const angle = (up ?? 0) + (i * Math.PI) / 2
        const long = i === 0 && up !== null
        if (long && this.doubtful) continue
        const [a, b] = [along(angle, 4), along(angle, long ? 46 : 15)]
        ctx.moveTo(a.x, a.y)
        ctx.lineTo(b.x, b.y)
      }
      ctx.stroke()
      if (up === null) continue
      ctx.beginPath()
      if (this.doubtful) {
        ctx.setLineDash([3, 6])
        ctx.moveTo(along(up, 4).x, along(up, 4).y)
        ctx.lineTo(along(up, 46).x, along(up, 46).y)
        ctx.stroke()
        ctx.setLineDash([])
        ctx.beginPath()
      }
      const tip = along(up, 48)
      for (const side of [-1, 1]) {
        ctx.moveTo(tip.x, tip.y)
        ctx.lineTo(tip.x - 9 * Math.sin(up + side * 0.5), tip.y + 9 * Math.cos(up + side * 0.5))
      }
      ctx.stroke()
    }
    const word = this.simulated ? 'simulated' : this.coarse ? `within ${this.written(this.accuracyM)}` : ''
    if (word) this.write(ctx, palette, { x: p.x, y: p.y + 26 }, word, ink, 13)
  }

  private write(
    ctx: CanvasRenderingContext2D,
    palette: Palette,
    p: Spot,
    text: string,
    ink: string,
    size: number,
  ): void {
    ctx.font = `700 ${size}px ${FONT}`
    ctx.textAlign = 'center'
    ctx.textBaseline = 'middle'
    ctx.lineJoin = 'round'
    ctx.strokeStyle = palette.paper!
    ctx.lineWidth = 4
    ctx.strokeText(text, p.x, p.y)
    ctx.fillStyle = ink
    ctx.fillText(text, p.x, p.y)
  }

  /** A small arrow of paper at the edge, with the distance from the middle of the map. */
  private atEdge(ctx: CanvasRenderingContext2D, camera: Camera, palette: Palette, at: LatLng, p: Spot): void {
    const [cx, cy] = [camera.width / 2, camera.height / 2]
    const [dx, dy] = [p.x - cx, p.y - cy]
    const f = Math.min((cx - EDGE) / Math.abs(dx || 1e-9), (cy - EDGE) / Math.abs(dy || 1e-9))
    const e = { x: cx + dx * f, y: cy + dy * f }
    this.edge = e
    const angle = Math.atan2(dx, -dy)
    ctx.translate(e.x, e.y)
    ctx.rotate(angle)
    ctx.beginPath()
    ctx.moveTo(0, -16)
    ctx.lineTo(11, 8)
    ctx.lineTo(0, 3)
    ctx.lineTo(-11, 8)
    ctx.closePath()
    ctx.lineJoin = 'round'
    ctx.strokeStyle = palette.paper!
    ctx.lineWidth = 5
    ctx.stroke()
    ctx.fillStyle = this.stale ? palette.slate! : palette.madder!
    ctx.fill()
    ctx.rotate(-angle)
    ctx.translate(-e.x, -e.y)
    const text = this.written(distanceM({ lat: camera.view.lat, lng: camera.view.lng }, at))
    const inwards = { x: e.x - 30 * Math.sin(angle), y: e.y + 26 * Math.cos(angle) }
    const half = 26
    inwards.x = Math.max(half, Math.min(camera.width - half, inwards.x))
    this.write(ctx, palette, inwards, text, this.stale ? palette.slate! : palette.madder!, 13.5)
  }

  hit(spot: Spot, _camera: Camera, reach: number): Omit<Hit, 'layer'> | null {
    if (!this.edge) return null
    const distance = Math.max(0, Math.hypot(spot.x - this.edge.x, spot.y - this.edge.y) - 16)
    return distance <= reach ? { id: 'here', distance } : null
  }
}
