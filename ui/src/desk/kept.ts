// What the workspace keeps besides places: saved views, pictures laid over the ground, sources of imagery, rehearsals.
// Read once, kept current by the stream of changes, changed with undo.

import { v7 as uuidv7 } from 'uuid'
import { computed, shallowReactive } from 'vue'
import {
  api,
  unwrap,
  type Emergency,
  type Imagery,
  type ImageryIn,
  type Overlay,
  type LinkTemplate,
  type LinkTemplateIn,
  type OverlayIn,
  type Party,
  type PartyIn,
  type Rehearsal,
  type RehearsalIn,
  type SavedView,
  type Watch,
  type WatchIn,
} from '../api/client'
import { chart } from './acts'
import { desk } from './desk'
import { record } from './history'
import { say } from './notice'
import { client, kept, readAgain } from './server'

const reads = {
  views: async () => (await unwrap(api.GET('/v1/views'))).views,
  overlays: async () => (await unwrap(api.GET('/v1/overlays'))).overlays,
  imagery: async () => (await unwrap(api.GET('/v1/imagery'))).imagery,
  rehearsals: async () => (await unwrap(api.GET('/v1/rehearsals'))).rehearsals,
  parties: async () => (await unwrap(api.GET('/v1/parties'))).parties,
  watches: async () => (await unwrap(api.GET('/v1/watches'))).watches,
  links: async () => (await unwrap(api.GET('/v1/link-templates'))).link_templates as LinkTemplate[],
}
export const views = kept<SavedView[]>(['views'], reads.views, [])
export const overlays = kept<Overlay[]>(['overlays'], reads.overlays, [])
export const imagery = kept<Imagery[]>(['imagery'], reads.imagery, [])
export const rehearsals = kept<Rehearsal[]>(['rehearsals'], reads.rehearsals, [])
export const parties = kept<Party[]>(['parties'], reads.parties, [])
export const watches = kept<Watch[]>(['watches'], reads.watches, [])
export const linkTemplates = kept<LinkTemplate[]>(['links'], reads.links, [])
/** Whom to call in need; null where nobody is named. */
export const emergency = kept<Emergency | null>(['emergency'], readEmergency, null)
/** What is wrong with a source of imagery just now, by its id. */
export const failing = shallowReactive(new Map<string, string>())

/** Returns when all of it is there. */
export async function loadKept(): Promise<void> {
  const topics = Object.keys(reads) as (keyof typeof reads)[]
  await Promise.all(
    topics.map((t) => client.ensureQueryData({ queryKey: [t], queryFn: reads[t] as () => Promise<unknown> })),
  )
}

type Topic = keyof typeof reads
type Body = { name: string }
type Row = Body & { id: string; version: number }

async function readEmergency(): Promise<Emergency | null> {
  return (await unwrap(api.GET('/v1/emergency'))) ?? null // nothing where nobody is named
}

/** Where each kind is kept; its name in the log is its key here. */
const PATHS: Record<Topic, string> = {
  views: 'views',
  overlays: 'overlays',
  imagery: 'imagery',
  rehearsals: 'rehearsals',
  parties: 'parties',
  watches: 'watches',
  links: 'link-templates',
}

/** The calls of all kinds are alike; the types of their bodies are checked where they are made. */
const calls = {
  put: (topic: Topic, id: string, body: Body, match: string | null) =>
    unwrap(
      api.PUT(`/v1/${PATHS[topic]}/{id}` as '/v1/views/{id}', {
        params: { path: { id }, header: match ? { 'If-Match': match } : { 'If-None-Match': '*' } },
        body: body as SavedView,
      }),
    ) as Promise<Row>,
  drop: (topic: Topic, id: string) =>
    unwrap(
      api.DELETE(`/v1/${PATHS[topic]}/{id}` as '/v1/views/{id}', {
        params: { path: { id }, header: { 'If-Match': '*' } },
      }),
    ),
}

/** Puts a row into its list at once, or takes it out. */
function show(topic: Topic, id: string, row: Row | null): void {
  client.setQueryData<Row[]>([topic], (list = []) => {
    if (!row) return list.filter((r) => r.id !== id)
    return list.some((r) => r.id === id) ? list.map((r) => (r.id === id ? row : r)) : [...list, row]
  })
}

const WORDS: Record<Topic, string> = {
  views: 'the view',
  overlays: 'the picture',
  imagery: 'the imagery',
  rehearsals: 'the rehearsal',
  parties: 'the party',
  watches: 'the watch',
  links: 'the link',
}

async function put(topic: Topic, body: Body, before?: Row): Promise<Row> {
  const id = before?.id ?? uuidv7()
  const row = await calls.put(topic, id, body, before ? `"${before.version}"` : null)
  const again = async (to: Body | null, exists: boolean) => {
    await (to ? calls.put(topic, id, to, exists ? '*' : null) : calls.drop(topic, id))
    await readAgain([topic])
  }
  // The list shows it, and it can be undone, in one moment; what follows the changes may read the list before this
  // does.
  show(topic, id, row)
  record({
    what: `${before ? 'Changed' : 'Saved'} ${WORDS[topic]} “${row.name}”`,
    undo: () => again(before ?? null, true),
    redo: () => again(body, !!before),
  })
  await readAgain([topic])
  return row
}

async function drop(topic: Topic, row: Row): Promise<void> {
  await calls.drop(topic, row.id)
  const back = async () => {
    await calls.put(topic, row.id, row, null)
    await readAgain([topic])
  }
  show(topic, row.id, null)
  record({
    what: `Deleted ${WORDS[topic]} “${row.name}”`,
    undo: back,
    redo: () => calls.drop(topic, row.id).then(() => readAgain([topic])),
  })
  await readAgain([topic])
}

/** The desk as it is now, as a view to be saved. */
export function currentView(
  name: string,
  more: { key?: number; opening?: boolean } = {},
): Omit<SavedView, 'id' | 'version'> {
  const v = desk.view!
  return {
    name,
    key: more.key ?? 0,
    opening: more.opening ?? false,
    center: [Number(v.lng.toFixed(7)), Number(v.lat.toFixed(7))],
    zoom: v.zoom,
    rotation_deg: v.rotation,
    ground: desk.ground,
    lettering: desk.lettering,
    hidden: [...desk.hidden],
    names: desk.names,
    overlays: [...desk.overlays],
    imagery: [...desk.imagery],
  }
}

export function freeKey(): number {
  return [1, 2, 3, 4, 5, 6, 7, 8, 9].find((k) => !views.value.some((v) => v.key === k)) ?? 0
}

export const keepView = (name: string) => put('views', currentView(name, { key: freeKey() }))
export const changeView = (view: SavedView, to: Partial<SavedView>) => put('views', { ...view, ...to }, view)
export const deleteView = (view: SavedView) => drop('views', view)

export const putOverlay = (body: OverlayIn, before?: Overlay) => put('overlays', body, before)
export const deleteOverlay = (o: Overlay) => drop('overlays', o)
export const putImagery = (body: ImageryIn, before?: Imagery) => put('imagery', body, before)
export const deleteImagery = (i: Imagery) => drop('imagery', i)

/** Sets the desk as a view has it; the map flies there. */
export function showView(v: SavedView, fly = true): void {
  Object.assign(desk, {
    ground: v.ground ?? 'plain',
    lettering: v.lettering ?? 'plain',
    hidden: [...(v.hidden ?? [])],
    names: v.names ?? 'pointed',
    overlays: (v.overlays ?? []).filter((id) => overlays.value.some((o) => o.id === id)),
    imagery: (v.imagery ?? []).filter((id) => imagery.value.some((i) => i.id === id)),
  })
  const to = { lat: v.center[1]!, lng: v.center[0]!, zoom: v.zoom, rotation: v.rotation_deg ?? 0 }
  if (fly && chart.value) {
    chart.value.flyTo(to)
    say(`The view “${v.name}”`)
  } else {
    desk.view = to
    chart.value?.setView(to)
  }
}

export const viewOfKey = (key: number) => views.value.find((v) => v.key === key)
export const openingView = computed(() => views.value.find((v) => v.opening))

export const putRehearsal = (body: RehearsalIn, before?: Rehearsal) =>
  put('rehearsals', body, before) as Promise<Row & Rehearsal>
export const deleteRehearsal = (r: Rehearsal) => drop('rehearsals', r)

export const putParty = (body: PartyIn, before?: Party) => put('parties', body, before) as Promise<Row & Party>
export const deleteParty = (p: Party) => drop('parties', p)
export const putWatch = (body: WatchIn, before?: Watch) => put('watches', body, before) as Promise<Row & Watch>
export const deleteWatch = (w: Watch) => drop('watches', w)
export const putLinkTemplate = (body: LinkTemplateIn & { name: string }, before?: LinkTemplate) =>
  put('links', body, before) as Promise<Row & LinkTemplate>
export const deleteLinkTemplate = (t: LinkTemplate) => drop('links', t)
