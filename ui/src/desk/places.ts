// The stored places: read once, kept current by the stream of changes, changed with undo.

import { useEventListener, useEventSource } from '@vueuse/core'
import { v7 as uuidv7 } from 'uuid'
import { computed, reactive, ref, watch } from 'vue'
import { Refusal, api, unwrap, type Attribute, type Category, type Collection, type Feature } from '../api/client'
import type { LatLng } from '../chart/camera'
import { round7 } from './format'
import { record } from './history'

export interface Place {
  id: string
  collection: string
  name: string
  category: string
  at: LatLng | null
  version: number
  feature: Feature
}

export const places = reactive(new Map<string, Place>())
export const categories = ref<Category[]>([])
export const collections = ref<Collection[]>([])
export const loaded = ref(false)
/** Goes up with every change, for whoever asks the server anew. */
export const generation = ref(0)

export const categoryById = computed(() => new Map(categories.value.map((c) => [c.id, c])))

/** The place of an id, whatever collection it is in. */
export async function findPlace(id: string): Promise<void> {
  for (const c of collections.value) {
    try {
      await fetchPlace(c.id, id)
      return
    } catch (e) {
      if (!(e instanceof Refusal) || e.status !== 404) throw e
    }
  }
}

export function positionOf(f: Feature): LatLng | null {
  if (f.geometry?.type !== 'Point') return null
  const [lng, lat] = f.geometry.coordinates as number[]
  return { lat: lat!, lng: lng! }
}

function toPlace(collection: string, f: Feature): Place {
  const p = f.properties
  return { id: f.id!, collection, name: p.name ?? '', category: p.category ?? '', at: positionOf(f), version: p.version ?? 0, feature: f }
}

const PAGE = 10_000
/** So many places the page holds; of more it asks for those that are in view. */
const MOST_HELD = 20_000

/** There are more places than the page holds. */
export const crowded = ref(false)

/** A place that may not be held yet. */
export async function fetchPlace(collection: string, id: string): Promise<Place> {
  const known = places.get(id)
  if (known) return known
  const place = toPlace(collection, await unwrap(api.GET('/ogc/collections/{collection}/items/{id}', { params: { path: { collection, id } } })))
  places.set(id, place)
  return place
}

export async function loadPlaces(): Promise<void> {
  collections.value = (await unwrap(api.GET('/v1/collections'))).collections
  categories.value = (await unwrap(api.GET('/v1/categories'))).categories
  places.clear()
  crowded.value = collections.value.reduce((n, c) => n + (c.count ?? 0), 0) > MOST_HELD
  for (const c of crowded.value ? [] : collections.value) {
    let cursor: string | undefined
    do {
      const page = await unwrap(api.GET('/ogc/collections/{collection}/items', { params: { path: { collection: c.id }, query: { limit: PAGE, cursor } } }))
      for (const f of page.features) places.set(f.id!, toPlace(c.id, f))
      const next = page.links?.find((l) => l.rel === 'next')
      cursor = next ? (new URL(next.href).searchParams.get('cursor') ?? undefined) : undefined
    } while (cursor)
  }
  loaded.value = true
  generation.value++
}

interface Changed {
  no: number
  topic: string
  collection: string
  id: string
  feature: Feature | null
}

const followers = new Set<(topic: string) => void>()

/** Calls a function with the topic of every change, wherever it was made. */
export function onChange(f: (topic: string) => void): () => void {
  followers.add(f)
  return () => followers.delete(f)
}

/** Follows the changes that others make. Call inside a component, after signing in. */
export function followChanges(): void {
  const { data, status, open, close } = useEventSource('/v1/changes', ['features', 'collections', 'categories', 'views', 'overlays', 'imagery'] as const, {
    autoReconnect: { delay: 1000 },
  })
  watch(data, (text) => {
    if (!text) return
    const change = JSON.parse(text) as Changed
    for (const f of followers) f(change.topic)
    if (change.topic !== 'features') return
    const known = places.get(change.id)
    if (!change.feature) places.delete(change.id)
    else if (crowded.value && !known) generation.value++ // the map and the list ask for it when it is in view
    else if (!known || known.version < (change.feature.properties.version ?? 0)) places.set(change.id, toPlace(change.collection, change.feature))
    else return
    generation.value++
  }, { flush: 'sync' })
  // A browser opens six connections to a server and no more; a page that nobody sees gives its own back.
  useEventListener(window, 'pagehide', close)
  useEventListener(document, 'visibilitychange', () => (document.hidden ? close() : open()))
  useEventListener(window, 'pageshow', (e) => e.persisted && open())
  // A stream that was away may have missed something: read everything anew.
  let away = false
  watch(status, (s) => {
    if (s === 'CLOSED') away = true
    if (s === 'OPEN' && away) {
      away = false
      void loadPlaces().catch(() => (away = true))
    }
  })
}

/** What a form gives. */
export interface Draft {
  name: string
  category: string
  description: string
  at: LatLng | null
  accuracyM?: number | null
  source?: string
  /** The built-in attributes and those that the collection defines, by name. */
  attributes: Record<string, unknown>
}

/** What every collection has besides name, category and description. */
export const BUILT_IN: Attribute[] = [
  { name: 'address', title: 'Address', type: 'text' },
  { name: 'telephone', title: 'Telephone', type: 'telephone' },
  { name: 'website', title: 'Website', type: 'url' },
]

/** The attributes that a form of a collection shows. */
export const attributesOf = (collection: string | undefined): Attribute[] => [...BUILT_IN, ...(collections.value.find((c) => c.id === (collection ?? collections.value[0]?.id))?.attributes ?? [])]

/** The feature that a draft makes of what was there, keeping attributes that the form does not show. */
export function toFeature(draft: Draft, before?: Feature): Feature {
  const properties: Record<string, unknown> = { ...before?.properties, name: draft.name.trim(), category: draft.category, description: draft.description }
  if (!draft.description) delete properties.description
  if (!draft.category) delete properties.category
  for (const [name, value] of Object.entries(draft.attributes)) {
    if (value === '' || value === null || value === undefined) delete properties[name]
    else properties[name] = value
  }
  if (draft.accuracyM !== undefined) properties.accuracy_m = draft.accuracyM
  if (draft.source) properties.source = draft.source
  for (const computed of ['distance_m', 'bearing_deg', 'collection']) delete properties[computed]
  const geometry = draft.at && { type: 'Point' as const, coordinates: [round7(draft.at.lng), round7(draft.at.lat)] }
  return { type: 'Feature', geometry, properties }
}

const path = (collection: string, id: string) => ({ collection, id })

async function put(collection: string, id: string, feature: Feature, match: string | null): Promise<Place> {
  const headers = match ? { 'If-Match': match } : { 'If-None-Match': '*' }
  const got = await unwrap(
    api.PUT('/ogc/collections/{collection}/items/{id}', { params: { path: path(collection, id), header: headers }, body: feature }),
  )
  const place = toPlace(collection, got)
  places.set(id, place)
  generation.value++
  return place
}

async function remove(place: Place): Promise<void> {
  await unwrap(
    api.DELETE('/ogc/collections/{collection}/items/{id}', {
      params: { path: path(place.collection, place.id), header: { 'If-Match': `"${place.version}"` } },
    }),
  )
  places.delete(place.id)
  generation.value++
}

function current(id: string): Place {
  const p = places.get(id)
  if (!p) throw new Error('Somebody else has deleted this place meanwhile.')
  return p
}

/** Where a first place goes when there is no collection yet. */
async function home(): Promise<string> {
  if (!collections.value.length) {
    const made = await unwrap(api.PUT('/v1/collections/{collection}', { params: { path: { collection: 'places' } }, body: { title: 'Places' } }))
    collections.value = [made]
  }
  return collections.value[0]!.id
}

export async function createPlace(draft: Draft): Promise<Place> {
  const collection = await home()
  const id = uuidv7()
  const feature = toFeature(draft)
  const create = () => retried(() => put(collection, id, feature, null))
  const place = await create()
  record({ what: `Kept “${place.name}”`, undo: () => remove(current(id)), redo: create })
  return place
}

export const changePlace = (before: Place, draft: Draft) => replacePlace(before, toFeature(draft, before.feature))

/** Gives a place a property, or takes it away. */
export function setProperty(before: Place, name: string, value: string | null): Promise<Place> {
  const { [name]: _, ...rest } = before.feature.properties as Record<string, unknown>
  return replacePlace(before, { ...before.feature, properties: value === null ? rest : { ...rest, [name]: value } })
}

/** Makes a place another feature, under its id. */
export async function replacePlace(before: Place, feature: Feature): Promise<Place> {
  const place = await retried(() => put(before.collection, before.id, feature, `"${before.version}"`))
  record({
    what: `Changed “${place.name}”`,
    undo: () => put(before.collection, before.id, before.feature, `"${current(before.id).version}"`),
    redo: () => put(before.collection, before.id, feature, `"${current(before.id).version}"`),
  })
  return place
}

/** Takes a feature out of the bin. */
export async function restore(collection: string, feature: Feature): Promise<Place> {
  const place = await put(collection, feature.id!, feature, null)
  record({ what: `Took “${place.name}” out of the bin`, undo: () => remove(current(place.id)), redo: () => put(collection, place.id, feature, null) })
  return place
}

export async function deletePlace(place: Place): Promise<void> {
  await retried(() => remove(current(place.id)))
  record({
    what: `Deleted “${place.name}”`,
    undo: () => put(place.collection, place.id, place.feature, null),
    redo: () => remove(current(place.id)),
  })
}

/** Tries again once after an unknown outcome; ids are ours, so nothing is doubled. */
async function retried<T>(act: () => Promise<T>): Promise<T> {
  try {
    return await act()
  } catch (e) {
    if (!(e instanceof Refusal) || e.status !== 0) throw e
    await new Promise((r) => setTimeout(r, 1500))
    return act()
  }
}
