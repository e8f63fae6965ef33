// The form that is open: a new place, or one in edit. The map moves its stone.

import { reactive } from 'vue'
import { Refusal } from '../api/client'
import type { LatLng } from '../chart/camera'
import { desk } from './desk'
import { complain } from './notice'
import { attributesOf, changePlace, createPlace, places, type Draft, type Place } from './places'

interface Editing {
  open: boolean
  /** What is edited; null for a new place. */
  place: Place | null
  draft: Draft
  /** What somebody else has made of it meanwhile; undefined while nobody has, null when it was deleted. */
  theirs: Place | null | undefined
  busy: boolean
}

const empty = (): Draft => ({ name: '', category: '', description: '', at: null, attributes: {} })

export const editing = reactive<Editing>({ open: false, place: null, draft: empty(), theirs: undefined, busy: false })

export function begin(place: Place): void {
  Object.assign(editing, {
    open: true, place, theirs: undefined, busy: false,
    draft: { name: place.name, category: place.category, description: String(place.feature.properties.description ?? ''), at: place.at && { ...place.at }, attributes: valuesOf(place) },
  })
}

export function beginNew(at: LatLng, name: string, from: { accuracyM?: number; source: string }): void {
  Object.assign(editing, {
    open: true, place: null, theirs: undefined, busy: false,
    draft: { name, category: '', description: '', at: { lat: at.lat, lng: at.lng }, accuracyM: from.accuracyM, source: from.source, attributes: {} },
  })
}

function valuesOf(place: Place): Record<string, unknown> {
  const properties = place.feature.properties as Record<string, unknown>
  return Object.fromEntries(attributesOf(place.collection).flatMap((a) => (properties[a.name] === undefined ? [] : [[a.name, properties[a.name]]])))
}

export function drop(): void {
  editing.open = false
}

/** Saves; when somebody else was faster, both versions are kept to choose from. */
export async function save(): Promise<void> {
  if (editing.busy) return
  editing.busy = true
  try {
    const place = editing.place ? await changePlace(editing.place, editing.draft) : await createPlace(editing.draft)
    editing.open = false
    desk.spot = null
    desk.place = place.id
  } catch (e) {
    const refused = e instanceof Refusal ? e : null
    if (editing.place && (refused?.status === 412 || refused?.status === 404)) {
      const current = refused.problem.current as Place['feature'] | undefined
      editing.theirs = current ? { ...editing.place, feature: current, name: String(current.properties.name ?? ''), category: String(current.properties.category ?? ''), version: Number(current.properties.version), at: pointOf(current) } : null
    } else complain(e)
  } finally {
    editing.busy = false
  }
}

function pointOf(f: Place['feature']): LatLng | null {
  const c = f.geometry?.coordinates as number[] | undefined
  return c ? { lat: c[1]!, lng: c[0]! } : null
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
  if (theirs) places.set(theirs.id, theirs)
  else if (editing.place) {
    places.delete(editing.place.id)
    desk.place = null
  }
  editing.open = false
}
