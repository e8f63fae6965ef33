// Paths and areas on the map, and the vertices of the one that is drawn or edited.

import { computed, watchEffect, type ShallowRef } from 'vue'
import type { LatLng } from '../chart/camera'
import { toLatLng, toWorld } from '../chart/camera'
import type { Chart } from '../chart/chart'
import { desk } from '../desk/desk'
import { clickedVertex, dragRadius, dragVertex, dragWhole, editing, halve, mark } from '../desk/editing'
import { destination } from '../chart/geodesic'
import type { Outline } from '../desk/outline'
import { categoryById, changedElsewhere, isVisible, places } from '../desk/places'
import { faultsInEdit } from '../desk/questions'
import { Shapes, type Figure, type Shape } from '../layers/shapes'

/** So many vertices have handles at once; of more, those in view are shown from nearer. */
const MOST_HANDLES = 250

export const figureOf = (o: Outline): Figure =>
  o.kind === 'circle'
    ? { kind: 'circle', at: o.at, radiusM: o.radiusM }
    : o.kind === 'path'
      ? { kind: 'line', points: o.rings[0] }
      : { kind: 'polygon', rings: o.rings }

/**
 * Small areas are filled, so that they are seen; a large one would only tint the whole screen, which takes time with
 * every frame.
 */
function isSmall(o: Outline): boolean {
  if (o.kind === 'circle') return o.radiusM < SMALL_M / 2
  const lats = o.rings[0]!.map((p) => p.lat)
  return lats.length > 0 && (Math.max(...lats.slice(0, 5000)) - Math.min(...lats.slice(0, 5000))) * 111_000 < SMALL_M
}
const SMALL_M = 3000

const middle = (a: LatLng, b: LatLng): LatLng => {
  const [p, q] = [toWorld(a), toWorld(b)]
  return toLatLng({ x: p.x + (q.x + Math.round(p.x - q.x) - p.x) / 2, y: (p.y + q.y) / 2 })
}

export function useOutlines(chart: ShallowRef<Chart | undefined>) {
  const outlines = new Shapes(15, true)
  const inHand = new Shapes(60, false)

  watchEffect(() => {
    const list: Shape[] = []
    for (const p of places.values()) {
      if (!p.outline || (editing.open && editing.place?.id === p.id)) continue
      const selected = desk.place === p.id
      if (
        !selected &&
        (desk.hidden.includes(p.category) || !isVisible(p) || (desk.only.length > 0 && !desk.only.includes(p.id)))
      )
        continue
      const colour = categoryById.value.get(p.category)?.colour ?? '#5B6770'
      const marked = changedElsewhere.has(p.id)
      list.push({
        id: p.id,
        figure: figureOf(p.outline),
        ink: selected ? 'ink' : colour,
        width: selected ? 3.5 : marked ? 4.5 : p.kind === 'path' ? 2.4 : 1.5,
        dash: p.kind === 'path' && !selected ? [8, 4] : undefined,
        fill: p.kind !== 'area' ? undefined : selected ? 0.16 : isSmall(p.outline) ? 0.08 : undefined,
        hit: p.kind === 'area' ? 'outline' : true,
        label: selected || desk.names === 'always' ? p.name : undefined,
      })
    }
    list.sort((a, b) => Number(a.ink === 'ink') - Number(b.ink === 'ink'))
    const none = !list.length && !outlines.shapes.length
    outlines.shapes = list
    if (!none) chart.value?.changed(outlines)
  })

  const inView = computed(() => {
    const c = chart.value?.camera
    const v = desk.view // asked again as the map moves
    return (p: LatLng) => {
      const s = v && c && chart.value!.camera.toScreen(p)
      return !!s && s.x > -20 && s.y > -20 && s.x < c.width + 20 && s.y < c.height + 20
    }
  })

  /** Dragging is one step, from its first move to its end. */
  let dragging = false
  const drag = (move: (to: LatLng) => void) => (to: LatLng) => {
    if (!dragging) mark()
    dragging = true
    move(to)
  }
  const dropped = () => (dragging = false)

  watchEffect(() => {
    const o = editing.open ? editing.draft.outline : null
    const list: Shape[] = []
    if (o) {
      list.push({
        id: 'edited',
        figure: figureOf(o),
        ink: 'madder',
        width: 3,
        fill: o.kind === 'path' ? undefined : 0.14,
      })
      if (o.kind === 'circle') {
        const rim = destination(o.at, 90, o.radiusM)
        list.push({
          id: 'radius',
          figure: { kind: 'point', at: rim, size: 7 },
          ink: 'madder',
          drag: drag(dragRadius),
          dropped,
        })
        list.push({
          id: 'centre',
          figure: { kind: 'point', at: o.at, size: 7 },
          ink: 'ink',
          label: '+',
          drag: drag((to) => dragWhole((editing.draft.outline as typeof o).at, to)),
          dropped,
        })
      } else {
        const shown: Shape[] = []
        o.rings.forEach((r, ring) =>
          r.forEach((at, i) => {
            if (shown.length > 2 * MOST_HANDLES || !inView.value(at)) return
            const active = editing.active?.ring === ring && editing.active.i === i
            const next = r[i + 1] ?? (o.kind === 'area' && r.length > 2 ? r[0] : undefined)
            if (next && !editing.drawing)
              shown.push({
                id: `half ${ring} ${i}`,
                figure: { kind: 'point', at: middle(at, next), size: 3.5 },
                ink: 'slate',
                width: 1.4,
                hit: true,
                clicked: () => halve({ ring, i }, middle(at, next)),
              })
            shown.push({
              id: `vertex ${ring} ${i}`,
              figure: { kind: 'point', at, size: active ? 8 : 6 },
              ink: active ? 'madder' : 'ink',
              width: active ? 3 : 2,
              hit: true,
              clicked: () => clickedVertex({ ring, i }),
              drag: drag((to) => dragVertex({ ring, i }, to)),
              dropped,
            })
          }),
        )
        if (shown.length <= 2 * MOST_HANDLES)
          list.push(...shown.sort((a, b) => Number(a.id < 'i') - Number(b.id < 'i')).reverse())
      }
      for (const [n, f] of faultsInEdit.value.entries())
        if (f.at)
          list.push({
            id: `fault ${n}`,
            figure: { kind: 'point', at: { lat: f.at[1]!, lng: f.at[0]! }, size: 9 },
            ink: 'madder',
            width: 2.5,
            label: '!',
          })
    }
    const none = !list.length && !inHand.shapes.length
    inHand.shapes = list
    if (!none) chart.value?.changed(inHand)
  })

  return { outlines, inHand }
}
