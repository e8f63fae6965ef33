// The list of everything that is kept: searched, filtered and sorted by the server, read a page at a time from wherever one
// looks, so that it is as quick with a million rows as with ten. What is chosen in it is changed in one step.

import { refDebounced } from '@vueuse/core'
import { computed, reactive, ref, shallowReactive, watch } from 'vue'
import { api, unwrap, type Feature } from '../api/client'
import { chart, select, show } from './acts'
import { desk } from './desk'
import { complain, say } from './notice'
import { BUILT_IN, changeMany, collections, crowded, findPlaces, generation, listed, places, type Change, type Place } from './places'

const PAGE = 100
const MOST_FETCHED = 10_000

const listOpen = computed(() => desk.bench === 'places' && desk.part === 'list')

/** What is asked for, as the server has it. */
const query = computed(() => {
  const l = desk.list
  const camera = l.follow && desk.view ? chart.value?.camera : undefined
  const corners = camera && [camera.fromScreen({ x: 0, y: camera.height }), camera.fromScreen({ x: camera.width, y: 0 })]
  return {
    q: l.text.trim() || undefined,
    collection: l.collection ? [l.collection] : undefined,
    where: l.where ? [l.where] : undefined,
    placed: l.unplaced ? false : undefined,
    sort: l.sort,
    bbox: corners ? [corners[0]!.lng, corners[0]!.lat, corners[1]!.lng, corners[1]!.lat].map((v) => v.toFixed(5)).join(',') : undefined,
  }
})
const key = computed(() => JSON.stringify(query.value))
const settled = refDebounced(key, 120)

export const total = ref(0)
export const unplaced = ref(0)
export const failed = ref('')
/** The rows that were read, by their place in the list; those of an older reading stay until the new ones are there. */
export const rows = shallowReactive(new Map<number, Place>())
let asked = new Map<number, Promise<void>>()
let reading = 0

async function readPage(page: number, mine: number): Promise<void> {
  const found = await unwrap(api.GET('/v1/features', { params: { query: { ...(JSON.parse(settled.value) as typeof query.value), offset: page * PAGE, limit: PAGE } } }))
  if (mine !== reading) return
  found.features.forEach((f, i) => rows.set(page * PAGE + i, listed(f)))
  total.value = found.numberMatched ?? 0
  for (const at of rows.keys()) if (at >= total.value) rows.delete(at)
  failed.value = ''
}

/** Makes sure that some rows are read, from one to another. */
export function need(from: number, to: number): Promise<unknown> {
  const wanted: Promise<void>[] = []
  for (let page = Math.floor(from / PAGE); page <= Math.floor(Math.max(from, to) / PAGE); page++) {
    if (!asked.has(page)) {
      const mine = reading
      asked.set(
        page,
        readPage(page, mine).catch((e: unknown) => {
          asked.delete(page)
          if (mine === reading) failed.value = e instanceof Error ? e.message : String(e)
        }),
      )
    }
    wanted.push(asked.get(page)!)
  }
  return Promise.all(wanted)
}

/** Which rows are in view, so that they are read first when the list is read anew. */
export const looking = reactive({ from: 0, to: 30 })

function again(): void {
  reading++
  asked = new Map()
  if (listOpen.value) void need(looking.from, looking.to)
}
watch(settled, () => {
  rows.clear()
  looking.from = 0
  looking.to = 30
  again()
})
let due = 0
watch([generation, listOpen], () => {
  clearTimeout(due)
  due = window.setTimeout(() => {
    again()
    if (!listOpen.value) return
    void unwrap(api.GET('/v1/features', { params: { query: { placed: false, limit: 1 } } })).then((f) => (unplaced.value = f.numberMatched ?? 0), () => {})
  }, 60)
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
      const found = await unwrap(api.GET('/v1/features', { params: { query: { id: ids.slice(i, i + 200), limit: 200 } } }))
      out.push(...found.features.map(listed))
    }
    return out
  }
  for (let offset = 0; offset < total.value && !progress.stop; offset += MOST_FETCHED) {
    const found = await unwrap(api.GET('/v1/features', { params: { query: { ...query.value, offset, limit: MOST_FETCHED } } }))
    out.push(...found.features.map(listed).filter((p) => isChosen(p.id)))
  }
  return out
}

/** Changes all that is chosen in one step. */
export async function changeChosen(what: string, change: (f: Feature) => Feature | null): Promise<void> {
  if (progress.running) return
  Object.assign(progress, { running: true, done: 0, of: chosenCount.value, stop: false })
  try {
    const list: Change[] = (await chosenPlaces()).map((p) => ({ collection: p.collection, id: p.id, before: p.feature, after: change(p.feature) }))
    const done = await changeMany(`${what} (${list.length})`, list, (n) => {
      progress.done = n
      return !progress.stop
    })
    if (done < list.length) say(`Stopped: ${done} of ${list.length} are changed; undo takes them back.`, { wrong: true })
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
  for (const p of list) places.set(p.id, p)
  desk.only = list.map((p) => p.id)
  const points = list.flatMap((p) => (p.at ? [p.at] : p.outline?.kind === 'circle' ? [p.outline.at] : (p.outline?.rings.flat() ?? [])))
  if (list.length === 1) show(list[0]!)
  else chart.value?.fit(points)
}

/** A row of the list; read again where the list has changed while it was read. */
async function rowAt(i: number): Promise<Place | undefined> {
  for (;;) {
    const mine = reading
    await need(i, i)
    if (mine === reading) return rows.get(i)
  }
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
  if (!places.has(p.id)) places.set(p.id, p)
  if (desk.only.length === 1) desk.only = [p.id]
  select(p.id, true)
}

// Those shown alone may not be held yet where there are more places than the page holds.
watch([() => desk.only, crowded], ([ids]) => void (crowded.value && findPlaces(ids).catch(complain)))
