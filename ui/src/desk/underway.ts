// A journey under way: where one is on it, what comes next, a new way where the old one was left; spoken, reported on,
// and with the screen kept awake.

import { useLocalStorage, useThrottleFn, useWakeLock } from '@vueuse/core'
import { computed, reactive, shallowRef } from 'vue'
import { api, unwrap, type Route } from '../api/client'
import type { Fix } from '../device/source'
import { wayOf } from '../guide/api'
import { Caller, type Call, type Voice } from '../guide/caller'
import { Guide, type Progress } from '../guide/guide'
import { chart } from './acts'
import { desk } from './desk'
import { device, heading, lastFix, onFix, startDevice } from './device'
import { follow } from './follow'
import { metres, position } from './format'
import { loadKinds, collections, createPlace } from './places'
import { complain, say } from './notice'
import { wholePage } from './server'
import { endsOf, openRehearsal, playOrPause, rehearsing } from './rehearsing'
import { spokenLength, stepWords, streetOf } from './words'

/** How long a new way is not looked for again, in milliseconds by the clock of the fixes. */
const AGAIN_MS = 5000
/** From this far off at the beginning a way is looked for from where one is. */
const ELSEWHERE_M = 120

export const underWay = reactive({
  progress: null as Progress | null,
  /** How many times a new way was found since the journey began. */
  newWays: 0,
  looking: false,
  /** The whole way is shown instead of following. */
  whole: false,
  reporting: false,
  /** The last that was said. */
  said: '',
})
export const route = shallowRef<Route | null>(null)

let guide: Guide | null = null
let caller = new Caller()
let stop = () => {}
let lastSearch = -Infinity

export const VOICES: Voice[] = ['off', 'on', 'terse']
export const voice = useLocalStorage<Voice>('viandante.voice', 'off')
const awake = wholePage.run(() => useWakeLock())!

export const steps = computed(() => route.value?.properties.legs.flatMap((l) => l.steps) ?? [])
export const arrival = computed(() => {
  const p = underWay.progress
  return p ? new Date((device.now || Date.now()) + p.remainingS * 1000) : null
})

function take(way: Route): void {
  route.value = way
  guide = new Guide(wayOf(way))
  caller = new Caller()
  underWay.progress = guide.now
}

/** Begins the journey along a route. */
export async function begin(way: Route): Promise<void> {
  if (!(await startDevice('to lead you along the way'))) return
  take(way)
  Object.assign(underWay, { newWays: 0, whole: false, reporting: false, said: '' })
  lastSearch = -Infinity
  desk.underWay = true
  desk.bench = 'journey'
  desk.journeyPart = 'way'
  desk.layers = false
  desk.place = null
  desk.spot = null
  stop()
  stop = onFix(told, () => route.value && take(route.value))
  follow('heading')
  void awake.request('screen').catch(() => {}) // a browser without it keeps its own time
  const f = lastFix()
  if (!f) return
  if (guide!.way.nearest(f.at).offM > ELSEWHERE_M + f.accuracyM) await newWay(f, 'You are elsewhere.')
  else told(f)
}

/** Plays a rehearsal, and where it goes along the roads begins the journey that it rehearses. */
export async function rehearseJourney(id: string, speed?: number): Promise<void> {
  await openRehearsal(id, { speed })
  const row = rehearsing.row!
  const ends = endsOf(row)
  if (ends) {
    desk.standpoint = ends.from
    desk.destination = ends.to
    desk.by = row.by
    const found = await unwrap(
      api.GET('/v1/route', { params: { query: { from: position(ends.from), to: position(ends.to), by: row.by } } }),
    )
    await begin(found.features[0]!)
  } else follow('centred')
  playOrPause()
}

/** The part of the way that has been travelled. */
export function travelled(): { lat: number; lng: number }[] {
  const p = underWay.progress
  if (!guide || !p || !desk.underWay) return []
  const { way } = guide
  return [...way.line.slice(0, way.near(p.alongM) + 1), way.at(p.alongM)]
}

/** Goes on with a journey that a link has under way. */
export async function resume(): Promise<void> {
  const { rehearsal, rehearsalAt, standpoint, destination, by } = desk
  desk.underWay = false
  if (!standpoint || !destination) return
  if (rehearsal) await openRehearsal(rehearsal, { atS: rehearsalAt })
  const found = await unwrap(
    api.GET('/v1/route', { params: { query: { from: position(standpoint), to: position(destination), by } } }),
  )
  await begin(found.features[0]!)
}

export function end(): void {
  stop()
  stop = () => {}
  guide = null
  route.value = null
  desk.underWay = false
  Object.assign(underWay, { progress: null, reporting: false, whole: false })
  globalThis.speechSynthesis?.cancel()
  void awake.release().catch(() => {})
  follow('free')
  chart.value?.turnTo(0)
}

function showNow(): void {
  if (guide) underWay.progress = guide.now
}
/** However often fixes come, the road-book is drawn some times a second. */
const show = useThrottleFn(showNow, 250, true)

function told(f: Fix): void {
  if (!guide) return
  const p = guide.take(f)
  if (p.state !== 'on' || p.step !== underWay.progress?.step) showNow()
  else void show()
  const call = caller.next(p, f.speedMps ?? 1, steps.value.length - 1)
  if (call) speak(call)
  if (p.state === 'off') void newWay(f, 'You have left the way.')
}

/** Looks for a way from where the device is to the goal. */
async function newWay(f: Fix, why: string): Promise<void> {
  const to = desk.destination
  if (!to || underWay.looking || Math.abs(f.timeMs - lastSearch) < AGAIN_MS) return
  lastSearch = f.timeMs
  underWay.looking = true
  try {
    const found = await unwrap(
      api.GET('/v1/route', { params: { query: { from: position(f.at), to: position(to), by: desk.by } } }),
    )
    if (!desk.underWay) return
    take(found.features[0]!)
    underWay.newWays++
    const first = steps.value[0]
    say(`${why} A new way: ${metres(found.features[0]!.properties.distance_m)}.`)
    utter(`${voice.value === 'terse' ? '' : `${why} `}New way${first ? `, along ${streetOf(first)}` : ''}.`)
    const now = lastFix()
    if (now) underWay.progress = guide!.take(now)
  } catch (e) {
    complain(e)
  } finally {
    underWay.looking = false
  }
}

function speak(call: Call): void {
  const goal = desk.destination?.name
  const words = (step: number) => stepWords(steps.value[step]!, false, goal)
  const terse = voice.value === 'terse'
  switch (call.kind) {
    case 'ahead':
      if (!terse) utter(`In ${spokenLength(call.toNextM)}: ${words(call.step)}.`)
      break
    case 'now':
      utter(`${words(call.step)}${terse ? '' : ' now'}.`)
      break
    case 'follow':
      if (!terse) utter(`Follow ${streetOf(steps.value[call.step]!)} for ${spokenLength(call.forM)}.`)
      break
    case 'arrived':
      utter(`You have arrived${goal && !terse ? ` at ${goal}` : ''}.`)
      say(`Arrived${goal ? ` at ${goal}` : ''}.`)
  }
}

function utter(text: string): void {
  underWay.said = text
  if (voice.value === 'off' || !globalThis.speechSynthesis) return
  speechSynthesis.cancel()
  const u = new SpeechSynthesisUtterance(text)
  u.lang = 'en'
  speechSynthesis.speak(u)
}

/** The whole way on the map, and back to following. */
export function toggleWhole(): void {
  underWay.whole = !underWay.whole
  if (!underWay.whole) return follow('heading')
  follow('free')
  const line = route.value?.geometry.coordinates.map(([lng, lat]) => ({ lat: lat!, lng: lng! })) ?? []
  chart.value?.fit(device.fix ? [...line, device.fix.at] : line)
}

export function nextVoice(): void {
  voice.value = VOICES[(VOICES.indexOf(voice.value) + 1) % VOICES.length]!
  const words: Record<Voice, string> = { off: 'No voice', on: 'The voice says all', terse: 'The voice says turns only' }
  say(words[voice.value])
  if (voice.value !== 'off') utter(words[voice.value])
  else globalThis.speechSynthesis?.cancel()
}

export const REPORTS = ['blocked', 'slow', 'mind this'] as const
export type Report = (typeof REPORTS)[number]
const REPORTS_ID = 'reports'

/** Keeps what somebody reports from the spot as a place. */
export async function report(what: Report): Promise<void> {
  const f = lastFix()
  underWay.reporting = false
  if (!f) throw new Error('There is no position yet to report from.')
  if (!collections.value.some((c) => c.id === REPORTS_ID)) await makeReports()
  const p = underWay.progress
  const street = p && steps.value[p.step] ? streetOf(steps.value[p.step]!) : ''
  const title = `${what[0]!.toUpperCase()}${what.slice(1)}`
  await createPlace({
    collection: REPORTS_ID,
    name: street ? `${title}: ${street}` : title,
    category: '',
    description: '',
    at: f.at,
    outline: null,
    accuracyM: Math.round(f.accuracyM * 10) / 10,
    source: device.simulated ? 'simulated' : 'device',
    attributes: {
      report: what,
      by: desk.by,
      heading: heading.value === null ? null : Math.round(heading.value),
      fixed_at: new Date(f.timeMs).toISOString(),
    },
  })
}

async function makeReports(): Promise<void> {
  await unwrap(
    api.PUT('/v1/collections/{collection}', {
      params: { path: { collection: REPORTS_ID }, header: { 'If-None-Match': '*' } },
      body: {
        title: 'Reports from the way',
        description: 'What was found on the way: blocked, slow, or to be minded.',
        attributes: [
          { name: 'report', title: 'Report', type: 'choice', options: [...REPORTS] },
          { name: 'by', title: 'Travelling', type: 'text' },
          { name: 'heading', title: 'Heading, degrees', type: 'number' },
        ],
      },
    }),
  ).catch((e) => {
    if (collections.value.length) throw e
  })
  await loadKinds()
}
