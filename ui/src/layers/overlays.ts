// Pictures laid over the ground: each is stretched to where its control points say.

import type { Camera } from '../chart/camera'
import type { Layer } from '../chart/chart'
import { applied, type Affine } from '../chart/placement'

export interface Laid {
  id: string
  image: HTMLImageElement
  width: number
  height: number
  placement: Affine
  opacity: number
}

export class Overlays implements Layer {
  readonly order = 10
  laid: Laid[] = []

  ground(ctx: CanvasRenderingContext2D, camera: Camera): void {
    for (const o of this.laid) {
      if (!o.image.complete || !o.image.naturalWidth) continue
      const [a, b, c, d] = o.placement
      const at = camera.worldToScreen(applied(o.placement, 0, 0))
      const turn = (-camera.view.rotation * Math.PI) / 180
      ctx.save()
      ctx.globalAlpha = o.opacity
      ctx.imageSmoothingEnabled = true
      ctx.translate(at.x, at.y)
      ctx.rotate(turn)
      ctx.scale(camera.size, camera.size)
      ctx.transform(a, b, c, d, 0, 0)
      ctx.drawImage(o.image, 0, 0, o.width, o.height)
      ctx.restore()
    }
  }
}
