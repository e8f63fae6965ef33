// A picture that is being laid over the ground: its control points are moved on the map and on the picture, and it
// follows.

import { computed, reactive } from 'vue'
import { type Overlay, type OverlayIn } from '../api/client'
import type { LatLng } from '../chart/camera'
import { applied, placement, type Control } from '../chart/placement'
import { toLatLng } from '../chart/camera'
import { chart } from './acts'
import { desk } from './desk'
import { deleteOverlay, putOverlay } from './kept'
import { complain } from './notice'
import { sendPicture } from './smallpicture'

interface Placing {
  open: boolean
  /** What is changed; null for a new one. */
  before: Overlay | null
  name: string
  picture: string
  width: number
  height: number
  control: Control[]
  opacity: number
  /** The control point that a click on the map moves. */
  active: number
  busy: boolean
}

export const placing = reactive<Placing>({
  open: false,
  before: null,
  name: '',
  picture: '',
  width: 1,
  height: 1,
  control: [],
  opacity: 0.7,
  active: 0,
  busy: false,
})

/** The placement of what is being laid, or what is wrong with its points. */
export const placed = computed(() => placement(placing.control))

/** Keeps a file as a picture and lays it over the middle of the view. */
export async function layPicture(file: File): Promise<void> {
  const kept = await sendPicture(file)
  const c = chart.value!.camera
  const scale = Math.min((0.5 * c.width) / kept.width_px, (0.5 * c.height) / kept.height_px)
  const on = (x: number, y: number): Control => ({
    pixel: [Math.round(x * kept.width_px), Math.round(y * kept.height_px)],
    at: c.fromScreen({
      x: c.width / 2 + (x - 0.5) * kept.width_px * scale,
      y: c.height / 2 + (y - 0.5) * kept.height_px * scale,
    }),
  })
  Object.assign(placing, {
    open: true,
    before: null,
    name: file.name.replace(/\.[^.]*$/, '').slice(0, 100) || 'Picture',
    picture: kept.picture,
    width: kept.width_px,
    height: kept.height_px,
    control: [on(0.15, 0.5), on(0.85, 0.5)],
    opacity: 0.7,
    active: 0,
    busy: false,
  })
}

export function beginPlacing(o: Overlay): void {
  Object.assign(placing, {
    open: true,
    before: o,
    name: o.name,
    picture: o.picture,
    width: o.width_px ?? 1,
    height: o.height_px ?? 1,
    opacity: o.opacity,
    active: 0,
    busy: false,
    control: o.control.map((c) => ({
      pixel: [c.pixel[0], c.pixel[1]] as [number, number],
      at: { lat: c.at[1]!, lng: c.at[0]! },
    })),
  })
}

export function addThird(): void {
  const p = placed.value
  if (typeof p === 'string' || placing.control.length > 2) return
  const [a, b] = placing.control
  // Off the line through the two others, on the larger side of the picture.
  const x = Math.round((a!.pixel[0] + b!.pixel[0]) / 2)
  const y = Math.round(
    (a!.pixel[1] + b!.pixel[1]) / 2 > placing.height / 2 ? placing.height * 0.1 : placing.height * 0.9,
  )
  const w = applied(p, x, y)
  placing.control.push({ pixel: [x, y], at: toLatLng(w) })
  placing.active = 2
}

export function dropThird(): void {
  placing.control.splice(2)
  placing.active = 0
}

export function moveControl(i: number, at: LatLng): void {
  placing.control[i]!.at = at
  placing.active = i
}

export async function savePlacing(): Promise<void> {
  if (placing.busy || typeof placed.value === 'string') return
  placing.busy = true
  try {
    const body: OverlayIn = {
      name: placing.name.trim() || 'Picture',
      picture: placing.picture,
      opacity: placing.opacity,
      control: placing.control.map((c) => ({
        pixel: c.pixel,
        at: [Number(c.at.lng.toFixed(7)), Number(c.at.lat.toFixed(7))],
      })),
    }
    const row = await putOverlay(body, placing.before ?? undefined)
    if (!desk.overlays.includes(row.id)) desk.overlays.push(row.id)
    placing.open = false
  } catch (e) {
    complain(e)
  } finally {
    placing.busy = false
  }
}

export function removePlaced(): void {
  const o = placing.before
  placing.open = false
  if (!o) return
  desk.overlays = desk.overlays.filter((id) => id !== o.id)
  deleteOverlay(o).catch(complain)
}
