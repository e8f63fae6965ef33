// Addresses of a collection that are looked up: in the background, and the doubtful ones one by one by somebody.

import { v7 } from 'uuid'
import { computed, reactive, watch } from 'vue'
import { api, unwrap, type Feature } from '../api/client'
import type { components } from '../api/schema'
import type { LatLng } from '../chart/camera'
import { chart, lookAt } from './acts'
import { desk } from './desk'
import { idOfTitle } from './files'
import { position } from './format'
import { record } from './history'
import { complain, say } from './notice'
import { collections, listed, loadKinds, positionOf, replacePlace, type Place } from './places'
import { readAgain } from './server'

export type Lookup = components['schemas']['Lookup']
export type FoundAddress = components['schemas']['FoundAddress']
export type State = FoundAddress['state'] | 'waiting'
interface Moved {
  id: string
  name: string
  query: string
  was: FoundAddress
  now: FoundAddress
  shift_m: number | null
}

export const addresses = reactive({
  collection: '',
  counts: {} as Record<string, number>,
  lookup: null as Lookup | null,
  moved: null as Moved[] | null,
  /** Which queue is looked through. */
  state: 'doubtful' as 'doubtful' | 'nothing',
  queue: [] as Place[],
  /** What the one in hand may be, and the one that is marked. */
  candidates: [] as Feature[],
  unknown: [] as string[],
  active: 0,
  /** The next click on the map is its position. */
  byHand: false,
  busy: false,
})

export const inHand = computed<Place | null>(() => addresses.queue[0] ?? null)
export const queryOf = (p: Place): string => {
  const props = p.feature.properties as { address_typed?: string; address?: string; address_found?: FoundAddress }
  return props.address_found?.query ?? props.address_typed ?? props.address ?? ''
}

const ofCollection = () => ({ collection: addresses.collection })

/** Reads how the addresses of the collection stand. */
export async function readAddresses(): Promise<void> {
  if (!collections.value.length) return // they are still being read
  if (!addresses.collection) {
    const { lookups } = await unwrap(api.GET('/v1/lookups'))
    addresses.collection ||= lookups[0]?.collection ?? collections.value[0]!.id
  }
  const collection = addresses.collection
  const [found, all] = await Promise.all([
    unwrap(
      api.GET('/v1/collections/{collection}/addresses', {
        params: { path: ofCollection(), query: { state: addresses.state, limit: 50 } },
      }),
    ),
    unwrap(api.GET('/v1/lookups')),
  ])
  if (collection !== addresses.collection) return
  addresses.counts = found.counts
  addresses.lookup = all.lookups.find((l) => l.collection === collection) ?? null
  addresses.queue = found.features.map((f) =>
    listed({ ...f, properties: { ...f.properties, collection } } as unknown as Feature),
  )
  await readCandidates()
}

/** The place whose address was looked for last. */
let asked = ''

/** Looks for what the address in hand may be. */
async function readCandidates(): Promise<void> {
  const p = inHand.value
  if (p && p.id === asked) return // it is being looked for, or was found to be nothing
  asked = p?.id ?? ''
  addresses.candidates = []
  addresses.unknown = []
  addresses.active = 0
  addresses.byHand = false
  if (!p) return
  const found = await unwrap(
    api.GET('/v1/geocode', {
      params: { query: { q: queryOf(p), limit: 9, near: desk.view ? position(desk.view) : undefined } },
    }),
  )
  if (inHand.value?.id !== p.id) return
  addresses.candidates = found.features.length ? found.features : found.nearest ? [found.nearest] : []
  addresses.unknown = found.unknown ?? []
  const points = addresses.candidates.flatMap((f) => positionOf(f) ?? [])
  if (points.length === 1) lookAt(points[0]!, 16)
  else if (points.length) chart.value?.fit(points)
}

/** Begins to look up what has an address and no position. */
export async function lookUp(): Promise<void> {
  const id = v7()
  const began = await unwrap(
    api.PUT('/v1/lookups/{id}', { params: { path: { id } }, body: { collection: addresses.collection } }),
  )
  addresses.lookup = began
  record({
    what: `Looked up ${began.total.toLocaleString('en')} addresses`,
    undo: () => undoLookup(id),
    redo: () => lookUp(),
  })
  await readAddresses()
}

export async function setLookup(state: 'running' | 'paused' | 'stopped'): Promise<void> {
  const l = addresses.lookup
  if (!l) return
  addresses.lookup = await unwrap(api.PATCH('/v1/lookups/{id}', { params: { path: { id: l.id } }, body: { state } }))
  await readAddresses()
}

export async function undoLookup(id: string): Promise<void> {
  const now = await unwrap(api.GET('/v1/lookups/{id}', { params: { path: { id } } }))
  if (now.state === 'running')
    await unwrap(api.PATCH('/v1/lookups/{id}', { params: { path: { id } }, body: { state: 'stopped' } }))
  const got = await unwrap(api.POST('/v1/lookups/{id}/undo', { params: { path: { id } } }))
  if (got.changed_since) say(`${got.changed_since} were changed since, and are left as they are`, { wrong: true })
  await readAddresses()
  void readAgain(['features'])
}

/** What a collection of pasted addresses is called, for want of another. */
export const NEW_TITLE = 'Addresses'

/** Takes addresses in, one a line, as places of a collection that have no position yet, and looks them up. */
export async function takeLines(text: string, into: string): Promise<void> {
  const lines = text.split(/\r?\n/).map((l) => l.trim().replaceAll('\t', ' '))
  const rows = lines.filter((l) => l)
  if (!rows.length) return
  const collection = into || idOfTitle(NEW_TITLE)
  const mapping = {
    columns: [
      { column: 'name', as: 'name', name: '', type: '' },
      { column: 'address', as: 'address', name: '', type: '' },
    ],
    key: 'address',
    rest: false,
  }
  const quoted = (s: string) => `"${s.replaceAll('"', '""')}"`
  const body = ['name\taddress', ...rows.map((l) => `${quoted(l.split(',')[0]!)}\t${quoted(l)}`)].join('\n')
  const q = new URLSearchParams({
    collection,
    title: NEW_TITLE,
    name: 'pasted addresses',
    format: 'tsv',
    mapping: JSON.stringify(mapping),
  })
  const answer = await fetch(`/v1/imports/${v7()}?${q}`, {
    method: 'PUT',
    headers: { 'Content-Type': 'text/tab-separated-values' },
    body,
  })
  if (!answer.ok) throw new Error(((await answer.json()) as { detail?: string }).detail ?? 'They were not taken in.')
  await loadKinds()
  addresses.collection = collection
  await lookUp()
}

/** Settles the address in hand, and goes on to the next. */
async function settle(state: FoundAddress['state'], at: LatLng | null, candidate?: Feature): Promise<void> {
  const p = inHand.value
  if (!p || addresses.busy) return
  addresses.busy = true
  try {
    const props = candidate?.properties
    const found: FoundAddress = {
      query: queryOf(p),
      state,
      ...(at && { at: [at.lng, at.lat] }),
      ...(props && {
        label: props.label,
        kind: props.kind,
        confidence: props.confidence,
        region: props.region,
        version: props.region_version,
      }),
    }
    const properties: Record<string, unknown> = { ...p.feature.properties, address_found: found }
    if (at) properties.source = candidate ? 'address' : 'map'
    await replacePlace(p, {
      ...p.feature,
      geometry: at ? { type: 'Point', coordinates: [at.lng, at.lat] } : p.feature.geometry,
      properties,
    })
    addresses.queue = addresses.queue.slice(1)
  } finally {
    addresses.busy = false // the next one may be settled while it is read what it may be
  }
  await readCandidates()
  await readAddresses()
}

/** Takes a candidate, the first one as what it was found to be. */
export function choose(i: number): void {
  const f = addresses.candidates[i]
  const at = f && positionOf(f)
  if (at) settle(i === 0 ? 'accepted' : 'chosen', at, f).catch(complain)
}
export const skip = (): void => void settle('skipped', null).catch(complain)
export function byHand(): void {
  addresses.byHand = !addresses.byHand
  desk.spot = null
  if (addresses.byHand) say('Click on the map where it is.')
}
watch(
  () => desk.spot,
  (spot) => {
    if (!addresses.byHand || !spot || !inHand.value) return
    desk.spot = null
    addresses.byHand = false
    settle('by_hand', { lat: spot.lat, lng: spot.lng }).catch(complain)
  },
)

/** Looks at the candidate that is marked. */
export function point(i: number): void {
  const n = addresses.candidates.length
  if (!n) return
  addresses.active = (i + n) % n
  const at = positionOf(addresses.candidates[addresses.active]!)
  if (at) lookAt(at, 16)
}

/** What the map data of now have elsewhere. */
export async function readMoved(): Promise<void> {
  addresses.moved = (
    await unwrap(api.GET('/v1/collections/{collection}/addresses/moved', { params: { path: ofCollection() } }))
  ).moved as Moved[]
}
export async function takeMoved(ids: string[] | null): Promise<void> {
  const got = await unwrap(
    api.POST('/v1/collections/{collection}/addresses/moved', {
      params: { path: ofCollection() },
      body: ids ? { ids } : { all: true },
    }),
  )
  say(`${got.taken} places were moved`)
  await readMoved()
  await readAddresses()
  void readAgain(['features'])
}

/** Words of a query, each with what became of it in a candidate. */
export interface Marked {
  text: string
  as: 'matched' | 'corrected' | 'ignored'
  read?: string
}
export function marked(query: string, f: Feature | undefined): Marked[] {
  const p = (f?.properties ?? {}) as components['schemas']['Properties']
  const corrected = new Map((p.corrected ?? []).flatMap((c) => c.typed.split(' ').map((w) => [w, c.read] as const)))
  const matched = new Set(p.matched ?? [])
  return query.split(/(\s+|[,;/]+)/).flatMap((text): Marked[] => {
    const word = text.replace(/[.]+$/, '')
    if (!word.trim() || /^[,;/]+$/.test(word)) return [{ text, as: 'matched' }]
    const read = corrected.get(word)
    if (read) return [{ text, as: 'corrected', read }]
    return [{ text, as: !f || matched.has(word) || (p.ignored ?? []).every((w) => w !== word) ? 'matched' : 'ignored' }]
  })
}

/** Begins with another collection or another queue. */
export function beginAnew(): void {
  asked = ''
  addresses.queue = []
  addresses.candidates = []
}

/** Where the candidates lie, for the map. */
export const candidateMarks = computed(() =>
  desk.bench === 'places' && desk.part === 'addresses'
    ? addresses.candidates.flatMap((f, i) => {
        const at = positionOf(f)
        return at ? [{ at, n: i + 1, active: i === addresses.active, label: f.properties.label ?? '' }] : []
      })
    : [],
)
