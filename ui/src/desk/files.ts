// Files in and out: what a dropped or pasted file seems to hold, taking it in with progress, and undoing that as one.

import { v7 } from 'uuid'
import { computed, reactive, ref } from 'vue'
import { Refusal, type Problem } from '../api/client'
import type { components } from '../api/schema'
import { api, unwrap } from '../api/client'
import { chart } from './acts'
import { desk } from './desk'
import { record } from './history'
import { complain, say } from './notice'
import { collections, loadKinds } from './places'
import { readAgain } from './server'

export type Import = components['schemas']['Import']
export type Role = components['schemas']['FileColumn']['as']
export type RowProblem = components['schemas']['RowProblem']
export type FileFormat = components['schemas']['FileFormat']

export const FORMATS: Record<FileFormat, { title: string; suffix: string }> = {
  csv: { title: 'CSV', suffix: 'csv' },
  tsv: { title: 'TSV', suffix: 'tsv' },
  geojson: { title: 'GeoJSON', suffix: 'geojson' },
  geojsonseq: { title: 'GeoJSON text sequence', suffix: 'geojsons' },
  gpx: { title: 'GPX', suffix: 'gpx' },
  kml: { title: 'KML', suffix: 'kml' },
}
export const ROLES: Record<Role, string> = {
  name: 'name',
  lat: 'latitude',
  lng: 'longitude',
  position: 'position, both in one',
  geometry: 'geometry, WKT or GeoJSON',
  category: 'category',
  address: 'address',
  elevation: 'elevation in metres',
  radius: 'radius in metres',
  attribute: 'attribute …',
  skip: 'leave out',
}

export interface Column {
  column: string
  as: Role
  name: string
  type: string
  samples: string[]
}
interface PreviewRow {
  line: number
  feature: { geometry: { type: string; coordinates: number[] } | null; properties: Record<string, unknown> } | null
  problem: RowProblem | null
}
interface Preview {
  format: FileFormat
  encoding: string
  columns: Column[]
  key: string
  rest: boolean
  rows: PreviewRow[]
  sampled: number
  wrong: number
}

/** How much of a file is sent to find out what it holds. */
const BEGINNING = 256 << 10
const PACKED = /\.(gz|kmz|zip)$/i

/** The file in hand, and what is known of it. */
export const incoming = reactive({
  file: null as File | null,
  preview: null as Preview | null,
  failed: '',
  /** The collection that it goes into; '' for a new one with the title below. */
  collection: '',
  title: '',
  noTitles: false,
  encoding: '',
  running: null as Import | null,
  /** Bytes that were sent, of how many. */
  sent: 0,
  done: null as (Import & { problems: RowProblem[] }) | null,
})
export const imports = ref<Import[]>([])

/** An id for a collection, made of its title. */
export const idOfTitle = (title: string): string =>
  title
    .toLowerCase()
    .normalize('NFD')
    .replace(/[\u0300-\u036f]/g, '')
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '')
    .slice(0, 60) || 'places'
export const target = computed(() => incoming.collection || idOfTitle(incoming.title))

async function asked<T>(path: string, init: RequestInit): Promise<T> {
  let answer: Response
  try {
    answer = await fetch(path, init)
  } catch (e) {
    if (e instanceof DOMException && e.name === 'AbortError') throw e
    throw new Refusal(0, { detail: 'The server does not answer. Is it still running?' })
  }
  const body = (await answer.json().catch(() => ({}))) as unknown
  if (!answer.ok) throw new Refusal(answer.status, body as Partial<Problem>)
  return body as T
}

/** Takes a file or a pasted text in hand. */
export async function openFile(file: File): Promise<void> {
  Object.assign(incoming, { file, preview: null, failed: '', done: null, running: null, noTitles: false, encoding: '' })
  const base = file.name.replace(/\.[^.]+$/, '').replace(/[-_]+/g, ' ')
  incoming.title = base.slice(0, 1).toUpperCase() + base.slice(1)
  const there = collections.value.find((c) => c.id === idOfTitle(incoming.title))
  incoming.collection = there?.id ?? ''
  desk.bench = 'places'
  desk.part = 'files'
  await preview()
}

/** What is pasted, as a file of its own. */
export const openText = (text: string): Promise<void> =>
  openFile(new File([text], 'pasted.txt', { type: 'text/plain' }))

const options = (more: Record<string, string>): URLSearchParams => {
  const q = new URLSearchParams({ name: incoming.file?.name ?? '', collection: target.value, ...more })
  if (incoming.noTitles) q.set('titles', 'no')
  if (incoming.encoding) q.set('encoding', incoming.encoding)
  return q
}
const mapping = (p: Preview): string =>
  JSON.stringify({
    columns: p.columns.map(({ column, as, name, type }) => ({ column, as, name, type })),
    key: p.key,
    rest: p.rest,
  })

/** Asks what the file holds; with the columns as they stand, how its rows would be taken so. */
export async function preview(asTheyStand = false): Promise<void> {
  const { file, preview: now } = incoming
  if (!file) return
  const cut = file.size > BEGINNING && !PACKED.test(file.name)
  const q = options({ cut: cut ? 'yes' : 'no', ...(asTheyStand && now ? { mapping: mapping(now) } : {}) })
  try {
    const found = await asked<Preview>(`/v1/import-preview?${q}`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/octet-stream' },
      body: cut ? file.slice(0, BEGINNING) : file,
    })
    if (incoming.file !== file) return // another one was taken in hand meanwhile
    incoming.preview = found
    incoming.failed = ''
  } catch (e) {
    incoming.failed = e instanceof Error ? e.message : String(e)
    if (!asTheyStand) incoming.preview = null
  }
}

/** Says what a column is to be. */
export function setRole(c: Column, as: Role): void {
  const { columns } = incoming.preview!
  for (const other of columns)
    if (other !== c && other.as === as && as !== 'attribute' && as !== 'skip')
      Object.assign(other, { as: c.as === 'skip' ? 'skip' : 'attribute', name: attributeOf(other), type: 'text' })
  Object.assign(c, { as, name: as === 'attribute' ? attributeOf(c) : '', type: as === 'attribute' ? 'text' : '' })
  void preview(true)
}
const attributeOf = (c: Column): string =>
  c.name || idOfTitle(c.column).replaceAll('-', '_').replace(/^(\d)/, 'column_$1')

let stopping: AbortController | null = null

/** Takes the file in, and tells how far it has come. */
export async function takeIn(): Promise<void> {
  const { file, preview: p } = incoming
  if (!file || !p) return
  const id = v7()
  const stop = (stopping = new AbortController())
  incoming.done = null
  incoming.running = { taken: 0, refused: 0 } as Import
  const q = options({ title: incoming.title || target.value, mapping: mapping(p) })
  const watching = window.setInterval(
    () =>
      void unwrap(api.GET('/v1/imports/{id}', { params: { path: { id } } })).then(
        (i) => incoming.running && (incoming.running = i),
        () => {}, // it has not begun yet
      ),
    700,
  )
  try {
    await asked<Import>(`/v1/imports/${id}?${q}`, {
      method: 'PUT',
      headers: { 'Content-Type': 'application/octet-stream' },
      body: file,
      signal: stop.signal,
    })
  } catch (e) {
    if (!stop.signal.aborted) throw e
  } finally {
    clearInterval(watching)
    incoming.running = null
    stopping = null
    await finish(id, p)
  }
}
export const stopTaking = (): void => stopping?.abort()

async function finish(id: string, p: Preview): Promise<void> {
  const done = await unwrap(api.GET('/v1/imports/{id}', { params: { path: { id } } })).catch(() => null)
  await Promise.all([loadKinds(), loadImports()])
  if (!done) return
  incoming.done = done
  if (done.created + done.updated > 0)
    record({
      what: `Took in ${done.taken.toLocaleString('en')} of ${done.file}`,
      undo: () => undoImport(done),
      redo: () => (incoming.file ? takeIn() : Promise.reject(new Error('Choose the file again to take it in.'))),
    })
  else say(done.taken ? `All ${done.taken.toLocaleString('en')} are as they were` : 'Nothing was taken in')
  const points = p.rows.flatMap((r) => {
    const g = r.feature?.geometry
    return g?.type === 'Point' ? [{ lng: g.coordinates[0]!, lat: g.coordinates[1]! }] : []
  })
  if (points.length) chart.value?.fit(points)
}

/** Puts back what an import has written. */
export async function undoImport(i: Import): Promise<void> {
  const got = await unwrap(api.POST('/v1/imports/{id}/undo', { params: { path: { id: i.id } } }))
  if (incoming.done?.id === i.id) incoming.done = null
  await loadImports()
  if (got.changed_since)
    say(`${got.changed_since.toLocaleString('en')} were changed since, and are left as they are`, { wrong: true })
}

export async function loadImports(): Promise<void> {
  imports.value = (await unwrap(api.GET('/v1/imports'))).imports
  void readAgain(['features'])
}

/** A file, or a text with more than one row, that is pasted or dropped on the page. */
export function takeFrom(data: DataTransfer | null): boolean {
  const file = data?.files[0]
  const text = data?.getData('text/plain') ?? ''
  if (file) void openFile(file).catch(complain)
  else if (/\n./.test(text.trim()) || text.trimStart().startsWith('{')) void openText(text).catch(complain)
  else return false
  return true
}
