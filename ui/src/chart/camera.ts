// Positions on the map: degrees, the unit square of the spherical Mercator projection ("world"), and screen pixels.

export interface LatLng {
  lat: number
  lng: number
}

export interface Spot {
  x: number
  y: number
}

/** The side of a tile in CSS pixels, and of the whole world at zoom 0. */
export const TILE = 512
export const MIN_ZOOM = 1
export const MAX_ZOOM = 19.75
const MAX_LAT = 85.051128779806604

export function toWorld(p: LatLng): Spot {
  const s = Math.sin((Math.max(-MAX_LAT, Math.min(MAX_LAT, p.lat)) * Math.PI) / 180)
  return { x: p.lng / 360 + 0.5, y: 0.5 - Math.log((1 + s) / (1 - s)) / (4 * Math.PI) }
}

export function toLatLng(w: Spot): LatLng {
  const lat = (Math.atan(Math.sinh((0.5 - w.y) * 2 * Math.PI)) * 180) / Math.PI
  return { lat, lng: wrapLng((w.x - 0.5) * 360) }
}

export function wrapLng(lng: number): number {
  const w = ((((lng + 180) % 360) + 360) % 360) - 180
  return w === -180 && lng > 0 ? 180 : w
}

/** A turn between -180 and 180 degrees. */
export const shortestTurn = (degrees: number): number => ((((degrees + 180) % 360) + 360) % 360) - 180

export interface View extends LatLng {
  zoom: number
  /** Degrees by which the map is turned; north points this far left of up. */
  rotation: number
}

/** What is seen: a view on a screen of a size. Immutable; the chart replaces it on every move. */
export class Camera {
  readonly centre: Spot
  /** Pixels to the width of the world. */
  readonly size: number
  private readonly sin: number
  private readonly cos: number

  constructor(
    readonly view: View,
    readonly width: number,
    readonly height: number,
  ) {
    this.centre = toWorld(view)
    this.size = TILE * 2 ** view.zoom
    const angle = (-view.rotation * Math.PI) / 180
    this.sin = Math.sin(angle)
    this.cos = Math.cos(angle)
  }

  /** The pixel of a world spot, on the copy of the world that is nearest to the middle. */
  worldToScreen(w: Spot): Spot {
    let dx = w.x - this.centre.x
    dx -= Math.round(dx)
    const x = dx * this.size
    const y = (w.y - this.centre.y) * this.size
    return { x: x * this.cos - y * this.sin + this.width / 2, y: x * this.sin + y * this.cos + this.height / 2 }
  }

  screenToWorld(p: Spot): Spot {
    const x = p.x - this.width / 2
    const y = p.y - this.height / 2
    return {
      x: this.centre.x + (x * this.cos + y * this.sin) / this.size,
      y: this.centre.y + (-x * this.sin + y * this.cos) / this.size,
    }
  }

  toScreen(p: LatLng): Spot {
    return this.worldToScreen(toWorld(p))
  }

  fromScreen(p: Spot): LatLng {
    const w = this.screenToWorld(p)
    return toLatLng({ x: w.x, y: Math.max(0, Math.min(1, w.y)) })
  }

  /** Metres on the ground to a pixel, in the middle of the screen. */
  get metresPerPixel(): number {
    return (40075016.686 * Math.cos((this.view.lat * Math.PI) / 180)) / this.size
  }
}

/** The view, moved so that the position under a pixel is the given one. */
export function keepUnder(view: View, width: number, height: number, at: Spot, p: LatLng): View {
  const camera = new Camera(view, width, height)
  const under = camera.screenToWorld(at)
  const want = toWorld(p)
  let dx = want.x - under.x
  dx -= Math.round(dx)
  const centre = { x: camera.centre.x + dx, y: Math.max(0, Math.min(1, camera.centre.y + want.y - under.y)) }
  return { ...view, ...toLatLng(centre) }
}
