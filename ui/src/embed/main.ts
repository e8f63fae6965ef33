// The map in a frame of somebody else's page: one place, a collection, an address or a way, with what its link asks
// for. The token stands in the fragment, which browsers send to nobody; the query names what is to be seen.

import './fonts.css'
import './embed.css'
import ground from '@style/ground.json'
import { Chart } from '../chart/chart'
import { destination } from '../chart/geodesic'
import type { LatLng } from '../chart/camera'
import { inksOf, type GroundStyle, type Time } from '../chart/style'
import { Here } from '../layers/here'
import { Shapes, type Shape } from '../layers/shapes'
import { Stones, isCairn, type Stone } from '../layers/stones'
import { Way } from '../layers/way'
import { wordsOf } from './words'

const style = ground as unknown as GroundStyle
const query = new URLSearchParams(location.search)
const key = new URLSearchParams(location.hash.slice(1)).get('key') ?? ''
const [language, words] = wordsOf(query.get('lang'))
document.documentElement.lang = language
const container = document.getElementById('map')!
container.setAttribute('aria-label', query.get('title') || words.map)
document.title = query.get('title') || words.map

type Position = [number, number]
interface Published {
  features: {
    id: string
    geometry: { type: string; coordinates: unknown } | null
    properties: {
      name: string
      category: string
      chosen: boolean
      description?: string
      website?: string
      radius_m?: number
    }
  }[]
  categories: { id: string; name: string; glyph: string; colour: string }[]
  ground: string
  attribution: string[]
  regions: [number, number, number, number][]
  found: { label: string; at: string } | null
  route: { geometry: { coordinates: Position[] } } | null
}

/** How high the row of buttons is, in pixels. */
const BAR = 40
const SHOWN = ['collection', 'feature', 'address', 'mark', 'route', 'by']
const dark = matchMedia('(prefers-color-scheme: dark)')
const night = query.get('night') ?? 'auto'
const time = (): Time => (night === 'yes' || (night === 'auto' && dark.matches) ? 'night' : 'day')
const manner = query.get('ground') ?? 'plain'

function make<K extends keyof HTMLElementTagNameMap>(tag: K, className: string, text = ''): HTMLElementTagNameMap[K] {
  const e = document.createElement(tag)
  e.className = className
  e.textContent = text // never as markup: names are anybody's
  return e
}

function refuse(text: string): void {
  const p = make('p', 'wrong', text)
  p.setAttribute('role', 'alert')
  p.dataset.test = 'embed-wrong'
  container.append(p)
}

/** What is to be seen, or null after it was said what is wrong. */
async function load(): Promise<Published | null> {
  const wanted = new URLSearchParams()
  for (const name of SHOWN) for (const value of query.getAll(name)) if (value) wanted.append(name, value)
  let answer: Response
  try {
    answer = await fetch(`/v1/published?${wanted}`, { headers: key ? { Authorization: `Bearer ${key}` } : {} })
  } catch {
    refuse(words.away)
    return null
  }
  if (answer.ok) return (await answer.json()) as Published
  const wrong: Record<number, string> = {
    401: words.refused,
    403: words.refused,
    404: query.has('address') && !query.has('feature') ? words.unknown : words.gone,
    422: words.noWay,
    429: words.many,
  }
  refuse(wrong[answer.status] ?? words.away)
  return null
}

const at = ([lng, lat]: Position): LatLng => ({ lat, lng })
const pair = (text: string): LatLng | null => {
  const [lat, lng] = text.split(',').map(Number)
  return Number.isFinite(lat) && Number.isFinite(lng) ? { lat: lat!, lng: lng! } : null
}
const metres = (m: number): string => (m < 950 ? `${Math.round(m / 10) * 10} m` : `${(m / 1000).toFixed(1)} km`)

interface Entry {
  id: string
  name: string
  about: string
  website: string
  points: LatLng[]
  stone: Stone | null
  shape: Shape | null
}

/** What is drawn of a feature, and how it is listed. */
function entryOf(f: Published['features'][number], kinds: Map<string, Published['categories'][number]>): Entry {
  const kind = kinds.get(f.properties.category)
  const entry: Entry = {
    id: f.id,
    name: f.properties.name,
    about: f.properties.description ?? '',
    website: f.properties.website ?? '',
    points: [],
    stone: null,
    shape: null,
  }
  const g = f.geometry
  if (!g) return entry
  if (g.type === 'Point') {
    const p = at(g.coordinates as Position)
    entry.points = [p]
    if (f.properties.radius_m) {
      entry.points = [0, 90, 180, 270].map((b) => destination(p, b, f.properties.radius_m!))
      const figure = { kind: 'circle', at: p, radiusM: f.properties.radius_m } as const
      entry.shape = { id: f.id, figure, ink: kind?.colour ?? 'slate', width: 1.5, fill: 0.08, hit: 'outline' }
    } else
      entry.stone = {
        id: f.id,
        at: p,
        name: entry.name,
        glyph: kind?.glyph ?? 'stone',
        colour: kind?.colour ?? '#5b6770',
        faint: false,
        selected: false,
        editable: false,
      }
    return entry
  }
  const lines = (g.type === 'LineString' ? [g.coordinates] : g.coordinates) as Position[][]
  const rings = lines.map((line) => line.map(at))
  entry.points = rings.flat()
  entry.shape =
    g.type === 'LineString'
      ? {
          id: f.id,
          figure: { kind: 'line', points: rings[0]! },
          ink: kind?.colour ?? 'madder',
          width: 2.4,
          dash: [8, 4],
        }
      : { id: f.id, figure: { kind: 'polygon', rings }, ink: kind?.colour ?? 'slate', width: 1.5, fill: 0.08 }
  entry.shape.hit = g.type === 'LineString' || 'outline'
  return entry
}

async function begin(): Promise<void> {
  const paint = () => {
    const inks = inksOf(style, manner, time())
    for (const [name, colour] of Object.entries(inks)) document.documentElement.style.setProperty(`--${name}`, colour)
    document.documentElement.style.colorScheme = time() === 'night' ? 'dark' : 'light'
  }
  paint()
  const shown = await load()
  if (!shown) return
  const kinds = new Map(shown.categories.map((k) => [k.id, k]))
  const entries = shown.features.map((f) => entryOf(f, kinds))
  const extra = (id: string, p: LatLng | null, name: string): void => {
    if (!p) return
    const stone = { id, at: p, name, glyph: 'flag', colour: '#a8432f', faint: false, selected: false, editable: false }
    entries.push({ id, name, about: '', website: '', points: [p], stone, shape: null })
  }
  if (shown.found) extra('address', pair(shown.found.at), shown.found.label)
  query.getAll('mark').forEach((text, i) => extra(`mark ${i}`, pair(text), query.get('title') ?? ''))

  const centre = pair(query.get('center') ?? '')
  const chart = new Chart(container, {
    ...(centre ?? { lat: 0, lng: 0 }),
    zoom: Number(query.get('zoom')) || 14,
    rotation: 0,
  })
  Object.assign(window, { viandanteChart: chart })
  if (key) chart.askWith(key)
  const look = () => {
    paint()
    chart.setLook(manner, time(), query.get('lettering') ?? 'plain')
  }
  look()
  dark.addEventListener('change', look)
  chart.setGround(shown.ground)
  const areas = new Shapes(10, true)
  const way = new Way()
  const stones = new Stones(
    () => {},
    () => {},
    () => chart.changed(stones),
  )
  const here = new Here(metres)
  for (const layer of [areas, way, stones, here]) chart.addLayer(layer)
  if (shown.route) {
    way.line = shown.route.geometry.coordinates.map(at)
    const stops = (query.get('route') ?? '').split(';').flatMap((t) => pair(t) ?? [])
    way.from = stops[0] ?? null
    way.to = stops[stops.length - 1] ?? null
  }

  let only: string | null = null
  const show = () => {
    const some = entries.filter((e) => !only || e.id === only)
    stones.stones = some.flatMap((e) => e.stone ?? [])
    areas.shapes = some.flatMap((e) => e.shape ?? [])
    stones.names = some.length <= 12 ? 'always' : 'pointed'
    chart.changed(areas, way, stones)
  }
  const fit = () => {
    const points = entries.filter((e) => !only || e.id === only).flatMap((e) => e.points)
    points.push(...way.line)
    if (!points.length)
      for (const [west, south, east, north] of shown.regions)
        points.push({ lat: south, lng: west }, { lat: north, lng: east })
    const view = chart.fitView(points, 16)
    if (view) chart.setView(view)
  }
  show()
  if (query.get('buttons') === 'yes') chart.padding = { ...chart.padding, top: chart.padding.top + BAR }
  if (!centre) fit()

  let card: HTMLElement | null = null
  const close = () => {
    card?.remove()
    card = null
  }
  const open = (e: Entry) => {
    close()
    if (!e.name && !e.about) return
    card = make('section', 'card')
    card.dataset.test = 'embed-card'
    card.setAttribute('aria-live', 'polite')
    card.append(make('h2', '', e.name))
    if (e.about) card.append(make('p', '', e.about))
    if (/^https?:\/\//.test(e.website)) {
      const a = make('a', '', new URL(e.website).host)
      Object.assign(a, { href: e.website, target: '_blank', rel: 'noopener noreferrer' })
      card.append(make('p', ''))
      card.lastElementChild!.append(a)
    }
    const button = make('button', '', words.close)
    button.addEventListener('click', close)
    card.append(button)
    container.append(card)
  }
  const choose = (e: Entry, near: boolean) => {
    open(e)
    if (near && e.points.length === 1) chart.flyTo({ ...e.points[0]!, zoom: Math.max(chart.view.zoom, 15) })
    else if (near) chart.fit(e.points)
  }
  chart.on('hit', (h) => {
    if (isCairn(h.id)) return chart.fit(stones.inCairn(h.id, chart.camera))
    const e = entries.find((one) => one.id === h.id)
    if (e) choose(e, false)
  })
  chart.on('click', close)
  furnish(chart, shown, entries, here, (e) => {
    only = e && only !== e.id ? e.id : null
    show()
    if (e && only) choose(e, true)
    else {
      close()
      fit()
    }
    return only
  })
  interact(chart)
}

/** The buttons, the list for those who do not see the map, whose map it is. */
function furnish(
  chart: Chart,
  shown: Published,
  entries: Entry[],
  here: Here,
  choose: (e: Entry | null) => string | null,
): void {
  const bar = make('div', 'bar')
  if (query.get('buttons') === 'yes')
    for (const e of entries.slice(0, 12)) {
      const b = make('button', '', e.name || e.id)
      b.setAttribute('aria-pressed', 'false')
      b.addEventListener('click', () => {
        const now = choose(e)
        for (const other of bar.querySelectorAll('[aria-pressed]'))
          other.setAttribute('aria-pressed', String(other === b && now === e.id))
      })
      bar.append(b)
    }
  container.append(bar)
  const foot = make('div', 'foot')
  if (query.get('position') === 'yes') {
    const b = make('button', '', words.position)
    b.dataset.test = 'embed-position'
    b.addEventListener('click', () => locate(chart, here))
    foot.append(b)
  }
  const link = query.get('link') ?? ''
  if (/^https?:\/\//.test(link)) {
    const a = make('a', '', words.larger)
    Object.assign(a, { href: link, target: '_blank', rel: 'noopener noreferrer' })
    foot.append(a)
  }
  if (shown.attribution.length) foot.append(make('span', 'credit', shown.attribution.join(' · ')))
  container.append(foot)
  if (!entries.length) return
  const list = make('section', 'for-readers')
  list.setAttribute('aria-label', words.places)
  list.append(make('strong', '', words.places), make('ul', ''))
  for (const e of entries.slice(0, 500)) {
    const item = make('li', '')
    const b = make('button', '', e.name || e.id)
    b.addEventListener('click', () => choose(e))
    item.append(b)
    if (e.about) item.append(` ${e.about}`)
    list.lastElementChild!.append(item)
  }
  list.dataset.test = 'embed-list'
  container.after(list)
}

/** Shows where the viewer is: as a sighting mark, or at the edge where that lies outside the view. */
function locate(chart: Chart, here: Here): void {
  const failed = () => {
    refuse(words.noPosition)
    window.setTimeout(() => document.querySelector('.wrong')?.remove(), 5000)
  }
  if (!('geolocation' in navigator)) return failed()
  navigator.geolocation.getCurrentPosition(
    ({ coords }) => {
      const p = { lat: coords.latitude, lng: coords.longitude }
      here.at = () => p
      here.accuracyM = coords.accuracy
      chart.invalidate()
    },
    failed,
    { enableHighAccuracy: true, timeout: 15_000 },
  )
}

/** The map is moved by hand and by keys, or by nothing. */
function interact(chart: Chart): void {
  if (query.get('interaction') === 'none') {
    container.classList.add('still')
    return
  }
  container.tabIndex = 0
  const acts: Record<string, () => void> = {
    ArrowLeft: () => chart.pan(80, 0),
    ArrowRight: () => chart.pan(-80, 0),
    ArrowUp: () => chart.pan(0, 80),
    ArrowDown: () => chart.pan(0, -80),
    '+': () => chart.settle(1),
    '=': () => chart.settle(1),
    '-': () => chart.settle(-1),
  }
  container.addEventListener('keydown', (e) => {
    const act = !e.ctrlKey && !e.metaKey && !e.altKey && acts[e.key]
    if (!act) return
    e.preventDefault()
    act()
  })
}

void begin().catch(() => refuse(words.away))
