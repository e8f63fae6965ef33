// Pictures and imagery laid over the ground, and the handles of a picture that is being placed.

import { watchEffect, type ShallowRef } from 'vue'
import type { Chart } from '../chart/chart'
import { placement, type Affine } from '../chart/placement'
import { desk } from '../desk/desk'
import { failing, imagery, overlays } from '../desk/kept'
import { moveControl, placed, placing } from '../desk/placing'
import { ImageryTiles } from '../layers/imagery'
import { Overlays, type Laid } from '../layers/overlays'
import { Shapes } from '../layers/shapes'

export function useLaid(chart: ShallowRef<Chart | undefined>) {
  const pictures = new Overlays()
  const handles = new Shapes(70, false)
  const tiles = new ImageryTiles(
    () => chart.value?.changed(tiles),
    (source, reason) => (reason ? failing.set(source.id, reason) : failing.delete(source.id)),
  )
  const images = new Map<string, HTMLImageElement>()
  function image(hash: string): HTMLImageElement {
    let one = images.get(hash)
    if (!one) {
      one = new Image()
      one.onload = () => chart.value?.changed(pictures)
      one.src = `/v1/pictures/${hash}`
      images.set(hash, one)
    }
    return one
  }
  let last: Affine | null = null

  watchEffect(() => {
    const laid: Laid[] = []
    for (const o of overlays.value) {
      if (!desk.overlays.includes(o.id) || (placing.open && placing.before?.id === o.id)) continue
      const where = placement(
        o.control.map((c) => ({ pixel: [c.pixel[0]!, c.pixel[1]!], at: { lat: c.at[1]!, lng: c.at[0]! } })),
      )
      if (typeof where !== 'string')
        laid.push({
          id: o.id,
          image: image(o.picture),
          width: o.width_px ?? 1,
          height: o.height_px ?? 1,
          placement: where,
          opacity: o.opacity,
        })
    }
    if (placing.open) {
      if (typeof placed.value !== 'string') last = placed.value
      if (last)
        laid.push({
          id: 'placing',
          image: image(placing.picture),
          width: placing.width,
          height: placing.height,
          placement: last,
          opacity: placing.opacity,
        })
    }
    pictures.laid = laid
    handles.shapes = placing.open
      ? placing.control.map((c, i) => ({
          id: `control ${i}`,
          figure: { kind: 'point' as const, at: c.at, size: 9 },
          ink: placing.active === i ? 'madder' : 'ink',
          width: 2.4,
          label: String(i + 1),
          drag: (to) => moveControl(i, to),
        }))
      : []
    chart.value?.changed(pictures, handles)
  })
  watchEffect(() => {
    tiles.sources = imagery.value
      .filter((i) => desk.imagery.includes(i.id))
      .map((i) => ({
        id: i.id,
        name: i.name,
        min_zoom: i.min_zoom ?? 0,
        max_zoom: i.max_zoom!,
        tile_size: i.tile_size ?? 256,
        opacity: i.opacity,
      }))
    chart.value?.changed(tiles)
  })

  return [tiles, pictures, handles]
}
