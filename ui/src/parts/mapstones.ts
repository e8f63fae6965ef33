// Which stones stand on the map: the places that are held, those that the server sends where there are too many to
// hold, the one in edit; and the outlines of buildings that stand for some of them.

import { computed, onScopeDispose, reactive, ref, watch, watchEffect, type ShallowRef } from 'vue'
import { api, unwrap } from '../api/client'
import type { LatLng } from '../chart/camera'
import type { Chart } from '../chart/chart'
import { inRing as nearby, noteOf } from '../desk/around'
import { Crowd, type Mark } from '../desk/crowd'
import { desk } from '../desk/desk'
import { editing, mark } from '../desk/editing'
import { position } from '../desk/format'
import { distanceM } from '../chart/geodesic'
import { categories, categoryById, changedElsewhere, crowded, isVisible, places, type Place } from '../desk/places'
import { onFeatures } from '../desk/server'
import { Shapes } from '../layers/shapes'
import { Stones, type Stone } from '../layers/stones'

/** From this zoom on a building is large enough to stand for its place. */
const OUTLINES_FROM = 15.5

export function useStones(chart: ShallowRef<Chart | undefined>, inRing: () => Set<string>) {
  let dragging = false
  const stones = new Stones(
    (_, to) => {
      if (!dragging) mark() // dragging is one step
      dragging = true
      editing.draft.at = to
    },
    () => (dragging = false),
    () => chart.value?.changed(stones),
  )
  stones.note = noteOf
  watch(nearby, () => chart.value?.invalidate())
  const buildings = new Shapes(20, true)
  const marks = ref<Mark[]>([])
  const crowd = new Crowd((m) => (marks.value = m))
  /** The outline of the building at a position; null where there is none, left out while it is not known. */
  const outlines = reactive(new Map<string, LatLng[][] | null>())
  const near = computed(() => (desk.view?.zoom ?? 0) >= OUTLINES_FROM)

  const look = () => crowded.value && chart.value && crowd.look(chart.value.camera)
  watchEffect(() => {
    crowd.categories = desk.hidden.length
      ? [...categories.value.map((c) => c.id), ''].filter((c) => !desk.hidden.includes(c))
      : null
    look()
  })
  onScopeDispose(onFeatures(() => void look()))
  let settling = 0
  watch(chart, (c, _, clean) => {
    if (!c) return
    look()
    // While the map moves tiles are asked for now and then, the last time just after it has come to rest.
    clean(c.on('move', () => (settling ||= window.setTimeout(() => ((settling = 0), look()), 120))))
  })
  onScopeDispose(() => clearTimeout(settling))

  const faint = (id: string, at: LatLng, count: number) => {
    if (desk.bench !== 'around' || !desk.standpoint) return false
    if (!crowded.value) return !inRing().has(id)
    const d = distanceM(desk.standpoint, at)
    return count === 1 && (d < desk.beyondM || d > desk.withinM)
  }

  function drawnAs(categoryId: string) {
    const category = categoryById.value.get(categoryId)
    return {
      glyph: category?.glyph ?? 'stone',
      picture: category?.picture || undefined,
      colour: category?.colour ?? '#5B6770',
    }
  }

  function stoneOf(p: Place): Stone | null {
    const inEdit = editing.open && editing.place?.id === p.id
    const at = inEdit ? editing.draft.at : p.at
    const selected = desk.place === p.id || inEdit
    const category = inEdit ? editing.draft.category : p.category
    if (!at || (editing.draft.outline && inEdit)) return null
    if (
      !selected &&
      (desk.hidden.includes(category) || !isVisible(p) || (desk.only.length > 0 && !desk.only.includes(p.id)))
    )
      return null
    return {
      id: p.id,
      at,
      name: inEdit ? editing.draft.name : p.name,
      ...drawnAs(category),
      faint: faint(p.id, at, 1),
      selected,
      editable: inEdit,
      fresh: changedElsewhere.has(p.id),
      was: inEdit && p.at && (p.at.lat !== at.lat || p.at.lng !== at.lng) ? p.at : undefined,
      outlined: near.value && !inEdit && p.feature.properties.shown_as === 'building' && !!outlines.get(position(at)),
    }
  }

  watchEffect(() => {
    const list: Stone[] = []
    const shapes: typeof buildings.shapes = []
    for (const p of places.values()) {
      // Where there are many, those held are few: what was looked at. The others stand among the marks.
      if (crowded.value && desk.place !== p.id && editing.place?.id !== p.id && !desk.only.includes(p.id)) continue
      const stone = stoneOf(p)
      if (!stone) continue
      list.push(stone)
      if (stone.outlined)
        shapes.push({
          id: p.id,
          figure: { kind: 'polygon', rings: outlines.get(position(stone.at))! },
          ink: stone.selected ? 'ink' : stone.colour,
          width: stone.selected ? 3 : 2,
          fill: 0.35,
          hit: true,
          label: stone.selected ? undefined : p.name,
        })
    }
    if (crowded.value && !desk.only.length) {
      for (const m of marks.value)
        if (m.id !== desk.place)
          list.push({
            id: m.id,
            at: m.at,
            name: m.name,
            ...drawnAs(m.category),
            faint: faint(m.id, m.at, m.count),
            selected: false,
            editable: false,
            count: m.count,
            corners: m.corners,
          })
    }
    if (editing.open && !editing.place && editing.draft.at && !editing.draft.outline)
      list.push({
        id: 'new',
        at: editing.draft.at,
        name: editing.draft.name || 'new place',
        ...drawnAs(editing.draft.category),
        faint: false,
        selected: true,
        editable: true,
      })
    stones.stones = list
    stones.names = desk.names
    buildings.shapes = shapes
    chart.value?.changed(stones, buildings)
  })

  // Outlines are asked for when they are first needed.
  watchEffect(() => {
    if (!near.value) return
    for (const p of places.values()) {
      if (p.feature.properties.shown_as !== 'building' || !p.at || outlines.has(position(p.at))) continue
      const key = position(p.at)
      outlines.set(key, null)
      void unwrap(api.GET('/v1/building', { params: { query: { at: key } } }))
        .then(
          (f) =>
            f?.geometry &&
            outlines.set(
              key,
              (f.geometry.coordinates as number[][][]).map((r) => r.map(([lng, lat]) => ({ lat: lat!, lng: lng! }))),
            ),
        )
        .catch(() => outlines.delete(key))
    }
  })

  return { stones, buildings, marks }
}
