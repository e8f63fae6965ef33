// The list of everything that is kept: searched, filtered and sorted by the server, read a page at a time from wherever
// one looks, so that it is as quick with a million rows as with ten. What is chosen in it is changed in one step.

import { useQueries, useQuery } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import { computed, reactive, ref, watch } from 'vue'
import { api, unwrap, type Feature } from '../api/client'
import { chart, select, show } from './acts'
import { desk } from './desk'
import { complain, say } from './notice'
import {
  BUILT_IN,
  changeMany,
  collections,
  crowded,
  findPlaces,
  listed,
  places,
  type Change,
  type Place,
} from './places'
import { client, signedIn, wholePage } from './server'

const PAGE = 100
const MOST_FETCHED = 10_000

const listOpen = computed(() => desk.bench === 'places' && desk.part === 'list')

/** What is asked for, as the server has it. */
const asked = computed(() => {
  const l = desk.list
  const camera = l.follow && desk.view ? chart.value?.camera : undefined
  const corners = camera && [
    camera.fromScreen({ x: 0, y: camera.height }),
    camera.fromScreen({ x: camera.width, y: 0 }),
  ]
  return {
    q: l.text.trim() || undefined,
    collection: l.collection ? [l.collection] : undefined,
    where: l.where ? [l.where] : undefined,
    placed: l.unplaced ? false : undefined,
    sort: l.sort,
    bbox: corners
      ? [corners[0]!.lng, corners[0]!.lat, corners[1]!.lng, corners[1]!.lat].map((v) => v.toFixed(5)).join(',')
      : undefined,
  }
})
const key = computed(() => JSON.stringify(asked.value))
const settled = refDebounced(key, 120)

/** Which rows are in view, and the pages beyond that somebody waits for. */
export const looking = reactive({ from: 0, to: 30 })
const awaited = ref<number[]>([])
const pageOf = (i: number) => Math.floor(i / PAGE)

const wanted = computed(() => {
  const all = new Set(awaited.value)
  for (let page = pageOf(looking.from); page <= pageOf(Math.max(looking.from, looking.to)); page++) all.add(page)
  return [...all]
})

interface Page {
  rows: Place[]
  total: number
}
const pageQuery = (page: number) => ({
  queryKey: ['features', 'list', settled.value, page],
  queryFn: async (): Promise<Page> => {
    const query = { ...(JSON.parse(settled.value) as typeof asked.value), offset: page * PAGE, limit: PAGE }
    const found = await unwrap(api.GET('/v1/features', { params: { query } }))
    return { rows: found.features.map(listed), total: found.numberMatched ?? 0 }
  },
  staleTime: Infinity,
  structuralSharing: false as const,
})

interface Reading {
  byRow: Map<number, Place>
  total: number
  failed: string
}

/** What is read of the list: what was read before stays until what takes its place is there. */
const reading = wholePage.run(() => {
  const pages = useQueries(
    {
      queries: computed(() =>
        wanted.value.map((page) => ({ ...pageQuery(page), enabled: listOpen.value && signedIn.value })),
      ),
    },
    client,
  )
  const { data: open } = useQuery(
    {
      queryKey: ['features', 'unplaced'],
      queryFn: async () =>
        (await unwrap(api.GET('/v1/features', { params: { query: { placed: false, limit: 1 } } }))).numberMatched ?? 0,
      enabled: computed(() => listOpen.value && signedIn.value),
    },
    client,
  )
  return { pages, open }
})!

export const unplaced = computed(() => reading.open.value ?? 0)

const state = computed<Reading>(() => {
  const byRow = new Map<number, Place>()
  let [total, newest, failed] = [0, -1, '']
  wanted.value.forEach((page, i) => {
    const result = reading.pages.value[i]
    const data = result?.data as Page | undefined
    if (result?.error) failed = result.error.message
    if (!data) return
    data.rows.forEach((p, k) => byRow.set(page * PAGE + k, p))
    if (result!.dataUpdatedAt >= newest) [total, newest] = [data.total, result!.dataUpdatedAt]
  })
  for (const row of byRow.keys()) if (row >= total) byRow.delete(row)
  return { byRow, total, failed }
})

export const total = computed(() => state.value.total)
export const failed = computed(() => state.value.failed)
/** The rows that were read, by their place in the list. */
export const rows = {
  get: (i: number) => state.value.byRow.get(i),
  get size() {
    return state.value.byRow.size
  },
  [Symbol.iterator]: () => state.value.byRow[Symbol.iterator](),
}

watch(settled, () => {
  awaited.value = []
  looking.from = 0
  looking.to = 30
})

/** What rows can be sorted by and filtered with. */
export const attributes = computed(() => {
  const some = desk.list.collection ? collections.value.filter((c) => c.id === desk.list.collection) : collections.value
  const all = [...some.flatMap((c) => c.attributes ?? []), ...BUILT_IN]
  return all.filter((a, i) => all.findIndex((b) => b.name === a.name) === i)
})

/** Chosen rows: some by their ids, or all that the list holds but some. */
export const chosen = reactive({ all: false, ids: new Set<string>() })
watch(settled, clearChosen)

export const isChosen = (id: string) => chosen.all !== chosen.ids.has(id)
export const chosenCount = computed(() => (chosen.all ? total.value - chosen.ids.size : chosen.ids.size))
export function choose(id: string, on = !isChosen(id)): void {
  if (on !== chosen.all) chosen.ids.add(id)
  else chosen.ids.delete(id)
}
export function chooseAll(): void {
  chosen.all = true
  chosen.ids.clear()
}
export function clearChosen(): void {
  chosen.all = false
  chosen.ids.clear()
}

/** How far a change of many has got; stop ends it after the lot that is under way. */
export const progress = reactive({ running: false, done: 0, of: 0, stop: false })

/** All that is chosen, as it is now. */
async function chosenPlaces(): Promise<Place[]> {
  const out: Place[] = []
  if (!chosen.all) {
    const ids = [...chosen.ids]
    for (let i = 0; i < ids.length; i += 200) {
      const found = await unwrap(
        api.GET('/v1/features', { params: { query: { id: ids.slice(i, i + 200), limit: 200 } } }),
      )
      out.push(...found.features.map(listed))
    }
    return out
  }
  for (let offset = 0; offset < total.value && !progress.stop; offset += MOST_FETCHED) {
    const found = await unwrap(
      api.GET('/v1/features', { params: { query: { ...asked.value, offset, limit: MOST_FETCHED } } }),
    )
    out.push(...found.features.map(listed).filter((p) => isChosen(p.id)))
  }
  return out
}

/** Changes all that is chosen in one step. */
export async function changeChosen(what: string, change: (f: Feature) => Feature | null): Promise<void> {
  if (progress.running) return
  Object.assign(progress, { running: true, done: 0, of: chosenCount.value, stop: false })
  try {
    const list: Change[] = (await chosenPlaces()).map((p) => ({
      collection: p.collection,
      id: p.id,
      before: p.feature,
      after: change(p.feature),
    }))
    const done = await changeMany(`${what} (${list.length})`, list, (n) => {
      progress.done = n
      return !progress.stop
    })
    if (done < list.length)
      say(`Stopped: ${done} of ${list.length} are changed; undo takes them back.`, { wrong: true })
    if (list.some((c) => !c.after)) clearChosen()
  } catch (e) {
    complain(e)
  } finally {
    progress.running = false
  }
}

/** Gives all that is chosen a value under a name, or takes it away. */
export const setChosen = (name: string, title: string, value: unknown) =>
  changeChosen(value === null ? `Took away ${title}` : `Set ${title} to ${String(value)}`, (f) => {
    const { [name]: _, ...rest } = f.properties as Record<string, unknown>
    return { ...f, properties: value === null ? rest : { ...rest, [name]: value } }
  })

export const deleteChosen = () => changeChosen('Deleted', () => null)

/** Shows what is chosen, and nothing else. */
export async function showChosen(): Promise<void> {
  try {
    const list = (await chosenPlaces()).slice(0, MOST_SHOWN)
    if (chosenCount.value > MOST_SHOWN) say(`The first ${MOST_SHOWN} of them are shown.`)
    showOnly(list)
  } catch (e) {
    complain(e)
  }
}
const MOST_SHOWN = 150

export function showOnly(list: Place[]): void {
  places.set(...list)
  desk.only = list.map((p) => p.id)
  const points = list.flatMap((p) =>
    p.at ? [p.at] : p.outline?.kind === 'circle' ? [p.outline.at] : (p.outline?.rings.flat() ?? []),
  )
  if (list.length === 1) show(list[0]!)
  else chart.value?.fit(points)
}

/** Some rows of the list, once they are read as they are now. */
export async function rowsBetween(from: number, to: number): Promise<Place[]> {
  const pages: Place[][] = []
  for (let page = pageOf(from); page <= pageOf(to); page++) pages.push((await client.fetchQuery(pageQuery(page))).rows)
  const first = from - pageOf(from) * PAGE
  return pages.flat().slice(first, first + to - from + 1)
}

/** A row of the list, once it is read as it is now. */
export async function rowAt(i: number): Promise<Place | undefined> {
  const page = pageOf(i)
  if (!wanted.value.includes(page)) awaited.value = [page]
  const found = await client.fetchQuery(pageQuery(page))
  return found.rows[i - page * PAGE]
}

/** Goes to the next row of the list, or the one before; where one place alone is shown, the next is shown alone. */
export async function step(by: number): Promise<void> {
  if (!rows.size) await rowAt(0)
  let now = -1
  for (const [i, p] of rows) if (p.id === desk.place) now = i
  if (!total.value) return
  const next = now < 0 ? (by > 0 ? 0 : total.value - 1) : (now + by + total.value) % total.value
  const p = await rowAt(next)
  if (!p) return
  open(p)
  looking.from = looking.to = next
}

/** Selects a row: its page opens, and the map looks at it. */
export function open(p: Place): void {
  if (!places.has(p.id)) places.set(p)
  if (desk.only.length === 1) desk.only = [p.id]
  select(p.id, true)
}

// Those shown alone may not be held yet where there are more places than the page holds.
watch([() => desk.only, crowded], ([ids]) => void (crowded.value && findPlaces(ids).catch(complain)))
