// The form that is open: a new place, path or area, or one in edit. The map moves its stone and its vertices; each such
// step can be taken back.

import { markRaw, reactive } from 'vue'
import { Refusal } from '../api/client'
import type { LatLng } from '../chart/camera'
import { wrapLng } from '../chart/camera'
import { desk } from './desk'
import { distanceM } from '../chart/geodesic'
import { complain, say } from './notice'
import {
  insertVertex,
  isWhole,
  moveVertex,
  outlineOf,
  removeVertex,
  shifted,
  splitArea,
  splitPath,
  type Outline,
  type Vertex,
} from './outline'
import {
  attributesOf,
  changePlace,
  createPlace,
  homeOf,
  places,
  splitFeature,
  toPlace,
  type Draft,
  type Kind,
  type Place,
} from './places'

interface Step {
  at: LatLng | null
  outline: Outline | null
}

interface Editing {
  open: boolean
  /** What is edited; null for a new place. */
  place: Place | null
  draft: Draft
  /** What somebody else has made of it meanwhile; undefined while nobody has, null when it was deleted. */
  theirs: Place | null | undefined
  busy: boolean
  /** The vertex in hand. */
  active: Vertex | null
  /** Clicks on the map add vertices after the active one. */
  drawing: boolean
  /** The next vertex that is clicked is where an area is cut to. */
  splitting: boolean
  past: Step[]
  future: Step[]
}

const still = () => ({
  theirs: undefined,
  busy: false,
  active: null,
  drawing: false,
  splitting: false,
  past: [],
  future: [],
})

export const editing = reactive<Editing>({
  open: false,
  place: null,
  draft: { collection: '', name: '', category: '', description: '', at: null, outline: null, attributes: {} },
  ...still(),
})

export function begin(place: Place): void {
  Object.assign(editing, {
    open: true,
    place,
    ...still(),
    draft: {
      collection: place.collection,
      name: place.name,
      category: place.category,
      description: String(place.feature.properties.description ?? ''),
      at: place.at && { ...place.at },
      outline: place.outline && markRaw(place.outline),
      attributes: valuesOf(place),
    },
  })
}

export function beginNew(
  at: LatLng,
  name: string,
  from: { accuracyM?: number; source: string; address?: string },
): void {
  const collection = homeOf('place')
  Object.assign(editing, {
    open: true,
    place: null,
    ...still(),
    draft: {
      collection,
      name,
      category: '',
      description: '',
      at: { lat: at.lat, lng: at.lng },
      outline: null,
      accuracyM: from.accuracyM,
      source: from.source,
      attributes: from.address ? { address: from.address } : {},
    },
  })
}

/** Begins to draw a path, an area or a circle, at a spot where one is selected. */
export function beginDrawing(kind: Exclude<Kind, 'place'> | 'circle', at: LatLng | null): void {
  const first = at ? [{ lat: at.lat, lng: at.lng }] : []
  const outline: Outline | null =
    kind === 'circle'
      ? at && { kind: 'circle', at: first[0]!, radiusM: 200 }
      : kind === 'path'
        ? { kind, rings: [first] }
        : { kind, rings: [first] }
  if (!outline) return say('Select the spot in its middle first, or press Enter on the map.', { wrong: true })
  Object.assign(editing, {
    open: true,
    place: null,
    ...still(),
    drawing: kind !== 'circle',
    active: kind === 'circle' ? null : { ring: 0, i: first.length - 1 },
    draft: {
      collection: homeOf(kind === 'path' ? 'path' : 'area'),
      name: '',
      category: '',
      description: '',
      at: null,
      outline: markRaw(outline),
      source: 'drawn',
      attributes: {},
    },
  })
  desk.spot = null
}

function valuesOf(place: Place): Record<string, unknown> {
  const properties = place.feature.properties as Record<string, unknown>
  return Object.fromEntries(
    attributesOf(place.collection).flatMap((a) =>
      properties[a.name] === undefined ? [] : [[a.name, properties[a.name]]],
    ),
  )
}

export function cancel(): void {
  editing.open = false
}

/** Outlines are replaced, never changed: what is in them need not be watched. */
function setOutline(o: Outline): void {
  editing.draft.outline = markRaw(o)
}

/** Keeps what is there now, to be taken back to. */
export function mark(): void {
  editing.past.push({ at: editing.draft.at, outline: editing.draft.outline })
  editing.future = []
}

function swap(from: Step[], to: Step[]): boolean {
  const step = editing.open && from.pop()
  if (!step) return false
  to.push({ at: editing.draft.at, outline: editing.draft.outline })
  Object.assign(editing.draft, step)
  const o = step.outline
  // While one draws, one goes on from the last vertex.
  if (editing.active && o && o.kind !== 'circle')
    editing.active = o.rings[editing.active.ring]
      ? { ring: editing.active.ring, i: Math.min(editing.active.i, o.rings[editing.active.ring]!.length - 1) }
      : null
  return true
}

/** Takes back the last step on the map; false when there is none in this form. */
export const stepBack = () => swap(editing.past, editing.future)
export const stepOn = () => swap(editing.future, editing.past)

/** A position was chosen for a place. */
export function putAt(at: LatLng | null): void {
  mark()
  editing.draft.at = at
}

/** A click on the map while the form is open. */
export function clickedAt(at: LatLng): void {
  const o = editing.draft.outline
  if (!o) return putAt(at)
  if (o.kind === 'circle') {
    mark()
    setOutline({ ...o, at })
  } else if (editing.drawing) addVertex(at)
  else editing.active = null
}

function addVertex(at: LatLng): void {
  const o = editing.draft.outline
  if (!o || o.kind === 'circle') return
  const after = editing.active ?? { ring: 0, i: o.rings[0]!.length - 1 }
  mark()
  setOutline(insertVertex(o, after, { lat: at.lat, lng: wrapLng(at.lng) }))
  editing.active = { ring: after.ring, i: after.i + 1 }
}

/** A click on a vertex: it is taken in hand, closes what is drawn, or is where the area is cut to. */
export function clickedVertex(v: Vertex): void {
  if (editing.splitting && editing.active) return void splitTo(v)
  if (editing.drawing) editing.drawing = false
  editing.active = v
}

/** A click on the middle of a side makes a vertex of it. */
export function halve(after: Vertex, at: LatLng): void {
  editing.active = after
  addVertex(at)
  editing.drawing = false
}

export function dragVertex(v: Vertex, to: LatLng): void {
  if (editing.draft.outline) setOutline(moveVertex(editing.draft.outline, v, to))
}

export function dragWhole(from: LatLng, to: LatLng): void {
  if (editing.draft.outline) setOutline(shifted(editing.draft.outline, from, to))
}

export function setRadius(m: number): void {
  const o = editing.draft.outline
  if (o?.kind === 'circle' && m > 0) setOutline({ ...o, radiusM: Math.min(5_000_000, Math.round(m * 10) / 10) })
}

export const dragRadius = (to: LatLng): void => {
  const o = editing.draft.outline
  if (o?.kind === 'circle') setRadius(Math.max(1, Math.round(distanceM(o.at, to))))
}

export function deleteVertex(): void {
  const [o, v] = [editing.draft.outline, editing.active]
  if (!o || !v || o.kind === 'circle') return
  mark()
  const next = removeVertex(o, v)
  setOutline(next)
  const ring = next.kind !== 'circle' && next.rings[v.ring]
  editing.active = ring ? { ring: v.ring, i: Math.max(0, Math.min(v.i, ring.length) - 1) } : null
}

/** Goes on to the next vertex, or the one before. */
export function nextVertex(by: number): void {
  const o = editing.draft.outline
  if (!o || o.kind === 'circle') return
  const all = o.rings.flatMap((r, ring) => r.map((_, i) => ({ ring, i })))
  const now = editing.active
    ? all.findIndex((v) => v.ring === editing.active!.ring && v.i === editing.active!.i)
    : by > 0
      ? -1
      : 0
  editing.active = all[(now + by + all.length) % all.length] ?? null
}

export function beginHole(): void {
  const o = editing.draft.outline
  if (o?.kind !== 'area') return
  mark()
  setOutline({ kind: 'area', rings: [...o.rings, []] })
  Object.assign(editing, { active: { ring: o.rings.length, i: -1 }, drawing: true })
}

/** Cuts at the vertex in hand: a path there, an area from there to the vertex that is clicked next. */
export function split(): void {
  const [o, v] = [editing.draft.outline, editing.active]
  if (!o || !v) return
  if (o.kind === 'area') {
    editing.splitting = v.ring === 0
    say(
      editing.splitting
        ? 'Now click the vertex to cut to.'
        : 'A hole cannot be cut; choose two vertices of the outline.',
      { wrong: !editing.splitting },
    )
  } else void finishSplit(splitPath(o, v.i), 'Choose a vertex between the two ends: the path is cut there.')
}

function splitTo(v: Vertex): void {
  editing.splitting = false
  const o = editing.draft.outline
  if (o && v.ring === 0)
    void finishSplit(splitArea(o, editing.active!.i, v.i), 'There is nothing between these two vertices.')
}

async function finishSplit(parts: [Outline, Outline] | null, otherwise: string): Promise<void> {
  if (!parts) return say(otherwise, { wrong: true })
  if (!editing.place) return say('Keep it first; then it can be split.', { wrong: true })
  await whileBusy(async () => {
    await splitFeature(editing.place!, editing.draft, parts)
    editing.open = false
  })
}

/** Saves; when somebody else was faster, both versions are kept to choose from. */
export async function save(): Promise<void> {
  const o = editing.draft.outline
  if (o && !isWhole(o))
    return say(
      o.kind === 'path'
        ? 'A path needs two vertices at least; click the map.'
        : 'An area needs three vertices at least, and so does a hole; click the map.',
      { wrong: true },
    )
  await whileBusy(async () => {
    const place = editing.place ? await changePlace(editing.place, editing.draft) : await createPlace(editing.draft)
    editing.open = false
    desk.spot = null
    desk.place = place.id
  })
}

async function whileBusy(act: () => Promise<void>): Promise<void> {
  if (editing.busy) return
  editing.busy = true
  try {
    await act()
  } catch (e) {
    const refused = e instanceof Refusal ? e : null
    if (editing.place && (refused?.status === 412 || refused?.status === 404)) {
      const current = refused.problem.current as Place['feature'] | undefined
      editing.theirs = current ? toPlace(editing.place.collection, current) : null
    } else complain(e)
  } finally {
    editing.busy = false
  }
}

/** Of two versions, mine: it is saved over theirs. */
export async function keepMine(): Promise<void> {
  const theirs = editing.theirs
  if (theirs) editing.place = theirs
  else if (editing.place) {
    // It was deleted: mine becomes a place again, under a new id.
    editing.place = null
  }
  editing.theirs = undefined
  await save()
}

/** Of two versions, theirs: mine is dropped. */
export function takeTheirs(): void {
  const theirs = editing.theirs
  if (theirs) places.set(theirs)
  else if (editing.place) {
    places.delete(editing.place.id)
    desk.place = null
  }
  editing.open = false
}

/** Takes what the server offers in the place of an outline that crosses itself. */
export function uncross(g: Place['feature']['geometry']): void {
  const o = g && outlineOf({ type: 'Feature', geometry: g, properties: {} })
  if (!o) return
  mark()
  setOutline(o)
  editing.active = null
}
