// The stored places: read once, kept current by the stream of changes, changed with undo.

import { useEventListener, useEventSource } from '@vueuse/core'
import { v7 as uuidv7 } from 'uuid'
import { computed, markRaw, shallowReactive, watch } from 'vue'
import { Refusal, api, unwrap, type Attribute, type Category, type Collection, type Feature } from '../api/client'
import type { LatLng } from '../chart/camera'
import { round7 } from './format'
import { record } from './history'
import { say } from './notice'
import { geometryOf, outlineOf, type Outline } from './outline'
import { client, featuresChanged, kept, readAgain } from './server'

export type Kind = 'place' | 'path' | 'area'

export interface Place {
  id: string
  collection: string
  name: string
  category: string
  kind: Kind
  /** A place's position, null while it is not known. */
  at: LatLng | null
  /** A path's or an area's shape. */
  outline: Outline | null
  version: number
  feature: Feature
}

export const collections = kept(
  ['collections'],
  async () => (await unwrap(api.GET('/v1/collections'))).collections,
  [] as Collection[],
)
export const categories = kept(
  ['categories'],
  async () => (await unwrap(api.GET('/v1/categories'))).categories,
  [] as Category[],
)

/** The features that the page holds: all of them, or where they are too many those that somebody has looked at. */
interface Held {
  byId: ReadonlyMap<string, Place>
  crowded: boolean
}
const HELD = ['features', 'held']
const held = kept<Held>(HELD, readHeld, { byId: new Map(), crowded: false })

/** There are more places than the page holds. */
export const crowded = computed(() => held.value.crowded)

/** What was changed while all of it is being read; null for what was deleted. */
let meanwhile: Map<string, Place | null> | null = null

function hold(changes: [string, Place | null][]): void {
  if (!changes.length) return
  for (const [id, p] of changes) meanwhile?.set(id, p)
  client.setQueryData<Held>(HELD, (old) => {
    const byId = new Map(old?.byId)
    for (const [id, p] of changes) {
      if (p) byId.set(id, p)
      else byId.delete(id)
    }
    return { byId, crowded: old?.crowded ?? false }
  })
}

export const places = {
  get: (id: string) => held.value.byId.get(id),
  has: (id: string) => held.value.byId.has(id),
  values: () => held.value.byId.values(),
  get size() {
    return held.value.byId.size
  },
  set: (...list: Place[]) => hold(list.map((p) => [p.id, p])),
  delete: (id: string) => hold([[id, null]]),
}

export const categoryById = computed(() => new Map(categories.value.map((c) => [c.id, c])))

/** Reads some features by their ids, whatever collection they are in. */
export async function findPlaces(ids: string[]): Promise<void> {
  const missing = ids.filter((id) => !places.has(id))
  for (let i = 0; i < missing.length; i += 200) {
    const found = await unwrap(
      api.GET('/v1/features', { params: { query: { id: missing.slice(i, i + 200), limit: 200 } } }),
    )
    places.set(...found.features.map(listed))
  }
}

/** A feature of a list, which names its collection among its properties. */
export function listed(f: Feature): Place {
  const { collection, ...properties } = f.properties
  return toPlace(collection ?? '', { ...f, properties })
}

export function positionOf(f: Feature): LatLng | null {
  if (f.geometry?.type !== 'Point') return null
  const [lng, lat] = f.geometry.coordinates as number[]
  return { lat: lat!, lng: lng! }
}

export function toPlace(collection: string, f: Feature): Place {
  const p = f.properties
  const outline = outlineOf(f)
  // Features are read, never changed: to watch every vertex of them would only take time.
  return markRaw({
    id: f.id!,
    collection,
    name: p.name ?? '',
    category: p.category ?? '',
    kind: !outline ? 'place' : outline.kind === 'path' ? 'path' : 'area',
    at: outline ? null : positionOf(f),
    outline,
    version: p.version ?? 0,
    feature: f,
  })
}

/** Whether it is to be drawn: what is not visible is kept and listed only. */
export const isVisible = (p: Place) => (p.feature.properties as { visible?: boolean }).visible !== false

const PAGE = 10_000
/** So many places the page holds; of more it asks for those that are in view. */
const MOST_HELD = 20_000

const MOST_SHAPES = 2000

/** A place that may not be held yet. */
export async function fetchPlace(collection: string, id: string): Promise<Place> {
  const known = places.get(id)
  if (known) return known
  const place = toPlace(
    collection,
    await unwrap(api.GET('/ogc/collections/{collection}/items/{id}', { params: { path: { collection, id } } })),
  )
  places.set(place)
  return place
}

/** Reads collections and categories anew. */
export const loadKinds = () => Promise.all([readAgain(['collections']), readAgain(['categories'])])

async function collectionPlaces(id: string): Promise<Place[]> {
  const out: Place[] = []
  let cursor: string | undefined
  do {
    const page = await unwrap(
      api.GET('/ogc/collections/{collection}/items', {
        params: { path: { collection: id }, query: { limit: PAGE, cursor } },
      }),
    )
    for (const f of page.features) out.push(toPlace(id, f))
    const next = page.links?.find((l) => l.rel === 'next')
    cursor = next ? (new URL(next.href).searchParams.get('cursor') ?? undefined) : undefined
  } while (cursor)
  return out
}

async function readHeld(): Promise<Held> {
  const others = (meanwhile = new Map<string, Place | null>())
  try {
    return await readAll(others)
  } finally {
    if (meanwhile === others) meanwhile = null
    featuresChanged()
  }
}

/** Reads all features, with what others change meanwhile. */
async function readAll(others: ReadonlyMap<string, Place | null>): Promise<Held> {
  const { collections } = await unwrap(api.GET('/v1/collections'))
  client.setQueryData(['collections'], collections)
  let crowded = collections.reduce((n, c) => n + (c.count ?? 0), 0) > MOST_HELD
  let all = crowded ? [] : (await Promise.all(collections.map((c) => collectionPlaces(c.id)))).flat()
  if (all.length > MOST_HELD) {
    crowded = true // more have come in since they were counted
    all = []
  }
  if (crowded) {
    // Where places are too many, what they crowd on is still there: paths and areas.
    const query = { kind: ['path', 'area'] as ('path' | 'area')[], limit: MOST_SHAPES }
    all = (await unwrap(api.GET('/v1/features', { params: { query } }))).features.map(listed)
  }
  const byId = new Map(all.map((p) => [p.id, p]))
  for (const [id, p] of others) {
    if (!p) byId.delete(id)
    else if ((byId.get(id)?.version ?? 0) < p.version) byId.set(id, p)
  }
  return { byId, crowded }
}

interface Changed {
  no: number
  topic: string
  collection: string
  id: string
  feature: Feature | null
}

/** The last versions that this page has made, so that what others make is told apart. */
const mine = new Map<string, number>()
/** What it is changing just now: the stream may tell of it before the answer does. */
const changing = new Map<string, number>()
const MARKED_MS = 6000

async function whileChanging<T>(ids: string[], act: () => Promise<T>): Promise<T> {
  for (const id of ids) changing.set(id, (changing.get(id) ?? 0) + 1)
  try {
    return await act()
  } finally {
    for (const id of ids) {
      const left = changing.get(id)! - 1
      if (left) changing.set(id, left)
      else changing.delete(id)
    }
  }
}

/** What was changed elsewhere a moment ago, by id. */
export const changedElsewhere = shallowReactive(new Map<string, number>())

function markChanged(id: string, version: number): void {
  if (changing.has(id) || (mine.get(id) ?? -1) >= version) return
  const at = performance.now()
  changedElsewhere.set(id, at)
  setTimeout(() => changedElsewhere.get(id) === at && changedElsewhere.delete(id), MARKED_MS)
}

/** Whoever has more places come in than the page holds asks for those in view from then on. */
function outgrow(): void {
  if (!crowded.value && !meanwhile && places.size > MOST_HELD) void readAgain(HELD)
}

/** How long events are gathered, in milliseconds: somebody may be changing thousands. */
const TOLD_MS = 30
let untaken: Changed[] = []

function told(change: Changed): void {
  if (change.topic !== 'features') return void readAgain([change.topic])
  if (!untaken.length) setTimeout(takeIn, TOLD_MS)
  untaken.push(change)
}

/** Takes in what the stream has told. */
function takeIn(): void {
  const changes = untaken
  untaken = []
  const shown = new Map<string, Place | null>()
  let other = false
  for (const { id, collection, feature } of changes) {
    const known = shown.has(id) ? shown.get(id) : places.get(id)
    const version = feature?.properties.version ?? 0
    if (feature && known && known.version >= version) continue
    other = true
    if (!feature) shown.set(id, null)
    else if (known || !crowded.value) shown.set(id, toPlace(collection, feature))
    if (feature) markChanged(id, version)
  }
  hold([...shown])
  if (other) featuresChanged()
  outgrow()
}

/** Follows the changes that others make. Call inside a component, after signing in. */
export function followChanges(): void {
  const { data, status, open, close } = useEventSource(
    '/v1/changes',
    [
      'features',
      'collections',
      'categories',
      'views',
      'overlays',
      'imagery',
      'rehearsals',
      'parties',
      'watches',
      'links',
      'emergency',
    ] as const,
    {
      autoReconnect: { delay: 1000 },
    },
  )
  watch(data, (text) => text && told(JSON.parse(text) as Changed), { flush: 'sync' })
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
      void client.invalidateQueries()
    }
  })
}

/** What a form gives. */
export interface Draft {
  collection: string
  name: string
  category: string
  description: string
  at: LatLng | null
  /** A path's or an area's; null for a place. */
  outline: Outline | null
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
  { name: 'visible', title: 'Shown on the map', type: 'boolean' },
]

/** The attributes that a form of a collection shows. */
export const attributesOf = (collection: string | undefined): Attribute[] => [
  ...BUILT_IN,
  ...(collections.value.find((c) => c.id === (collection ?? collections.value[0]?.id))?.attributes ?? []),
]

/** The feature that a draft makes of what was there, keeping attributes that the form does not show. */
export function toFeature(draft: Draft, before?: Feature): Feature {
  const properties: Record<string, unknown> = {
    ...before?.properties,
    name: draft.name.trim(),
    category: draft.category,
    description: draft.description,
  }
  if (!draft.description) delete properties.description
  if (!draft.category) delete properties.category
  for (const [name, value] of Object.entries(draft.attributes)) {
    if (value === '' || value === null || value === undefined) delete properties[name]
    else properties[name] = value
  }
  if (draft.accuracyM !== undefined) properties.accuracy_m = draft.accuracyM
  if (draft.source) properties.source = draft.source
  for (const computed of ['distance_m', 'bearing_deg', 'collection', 'radius_m']) delete properties[computed]
  if (draft.outline?.kind === 'circle') properties.radius_m = draft.outline.radiusM
  const geometry = draft.outline
    ? geometryOf(draft.outline)
    : draft.at && { type: 'Point' as const, coordinates: [round7(draft.at.lng), round7(draft.at.lat)] }
  return { type: 'Feature', geometry, properties }
}

const path = (collection: string, id: string) => ({ collection, id })

async function put(collection: string, id: string, feature: Feature, match: string | null): Promise<Place> {
  const headers = match ? { 'If-Match': match } : { 'If-None-Match': '*' }
  const got = await whileChanging([id], () =>
    unwrap(
      api.PUT('/ogc/collections/{collection}/items/{id}', {
        params: { path: path(collection, id), header: headers },
        body: feature,
      }),
    ),
  )
  const place = toPlace(collection, got)
  mine.set(id, place.version)
  places.set(place)
  featuresChanged()
  if (got.mended?.length) say(got.mended.join(' '))
  return place
}

async function remove(place: Place): Promise<void> {
  await unwrap(
    api.DELETE('/ogc/collections/{collection}/items/{id}', {
      params: { path: path(place.collection, place.id), header: { 'If-Match': `"${place.version}"` } },
    }),
  )
  places.delete(place.id)
  featuresChanged()
}

function current(id: string): Place {
  const p = places.get(id)
  if (!p) throw new Error('Somebody else has deleted this place meanwhile.')
  return p
}

/** The collection that something new of a kind is likely to belong to: the one that has most of that kind. */
export function homeOf(kind: Kind): string {
  const counts = new Map<string, number>()
  for (const p of places.values()) if (p.kind === kind) counts.set(p.collection, (counts.get(p.collection) ?? 0) + 1)
  const [most] = [...counts].sort((a, b) => b[1] - a[1])
  return most?.[0] ?? collections.value[0]?.id ?? ''
}

/** Where a first place goes when there is no collection yet. */
async function home(): Promise<string> {
  if (!collections.value.length) {
    const made = await unwrap(
      api.PUT('/v1/collections/{collection}', {
        params: { path: { collection: 'places' }, header: { 'If-None-Match': '*' } },
        body: { title: 'Places' },
      }),
    )
    client.setQueryData(['collections'], [made])
  }
  return collections.value[0]!.id
}

export async function createPlace(draft: Draft): Promise<Place> {
  const collection = draft.collection || (await home())
  const id = uuidv7()
  const feature = toFeature(draft)
  const create = () => retried(() => put(collection, id, feature, null))
  const place = await create()
  record({ what: `Saved “${place.name}”`, undo: () => remove(current(id)), redo: create })
  return place
}

/** One change of many at once: what becomes of each, and what it was; null for nothing. */
export interface Change {
  collection: string
  id: string
  before: Feature | null
  after: Feature | null
}

const MOST_AT_ONCE = 2000

/**
 * Makes many changes, all under one step that can be taken back. Of more than some thousand, each lot is all or
 * nothing.
 */
export async function changeMany(what: string, list: Change[], progress?: (done: number) => boolean): Promise<number> {
  const versions = new Map(list.map((c) => [c.id, c.before?.properties.version ?? 0]))
  const send = async (all: Change[]): Promise<number> => {
    let done = 0
    for (let i = 0; i < all.length; i += MOST_AT_ONCE) {
      if (progress && !progress(done)) break
      const lot = all.slice(i, i + MOST_AT_ONCE)
      const changes = lot.map(({ collection, id, after }) => ({
        collection,
        id,
        version: versions.get(id) || undefined,
        ...(after ? { feature: { ...after, id } } : { delete: true }),
      }))
      const answer = await whileChanging(
        lot.map((c) => c.id),
        () => retried(() => unwrap(api.POST('/v1/bulk', { body: { changes } }))),
      )
      const shown: [string, Place | null][] = []
      for (const { collection, id, after } of lot) {
        const version = after ? answer.no || versions.get(id)! : 0
        versions.set(id, version)
        mine.set(id, version)
        if (!after) shown.push([id, null])
        else if (!crowded.value || places.has(id))
          shown.push([id, toPlace(collection, { ...after, id, properties: { ...after.properties, version } })])
      }
      hold(shown)
      done += lot.length
      if (answer.mended.length) say(answer.mended.join(' '))
    }
    featuresChanged()
    return done
  }
  const done = list.slice(0, await send(list))
  const back = done.map((c) => ({ ...c, before: c.after, after: c.before }))
  if (done.length) record({ what, undo: () => send(back), redo: () => send(done) })
  return done.length
}

/** Cuts a path or an area in two: the first part stays what it was, the other becomes one beside it. */
export async function splitFeature(before: Place, draft: Draft, [first, second]: [Outline, Outline]): Promise<void> {
  const [one, other] = [
    toFeature({ ...draft, outline: first }, before.feature),
    toFeature({ ...draft, outline: second, name: `${draft.name} (2)` }, before.feature),
  ]
  for (const name of ['version', 'created_at', 'updated_at']) delete (other.properties as Record<string, unknown>)[name]
  await changeMany(`Split “${draft.name}”`, [
    { collection: before.collection, id: before.id, before: before.feature, after: one },
    { collection: before.collection, id: uuidv7(), before: null, after: other },
  ])
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
  record({
    what: `Took “${place.name}” out of the bin`,
    undo: () => remove(current(place.id)),
    redo: () => put(collection, place.id, feature, null),
  })
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
