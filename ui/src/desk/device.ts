// The device whose position the page knows: where it is, how sure that is, and what is wrong where it is not known. One
// source at a time tells it, the browser or a rehearsal; the rest of the page does not know which.

import { useDocumentVisibility, useLocalStorage, useThrottleFn } from '@vueuse/core'
import { computed, reactive, shallowRef, watch } from 'vue'
import { distanceM } from '../chart/geodesic'
import { BrowserSource, askForCompass } from '../device/browser'
import { Glide } from '../device/glide'
import { Needle, type Distrust } from '../device/needle'
import { Sift, type Refused } from '../device/sift'
import type { Fix, Pointing, Sink, Source, Trouble } from '../device/source'
import { desk } from './desk'
import { metres } from './format'
import { say } from './notice'
import { wholePage } from './server'

/** From this age on a position is old, in milliseconds by the clock of its source. */
const STALE_MS = 15_000
/** From this accuracy on a position is coarse, in metres. */
const COARSE_M = 150
/** Slower than this a device's course says nothing of where it points. */
const MOVING_MPS = 1
const TICK_MS = 500

export type Tracking =
  | 'off'
  | 'asking' // the page says why before the browser asks
  | 'searching'
  | 'refused'
  | 'unavailable'
  | 'timeout'
  | 'stale'
  | 'coarse'
  | 'good'

/** How the map follows: not at all, the device in its middle, or its heading up as well. */
export type Follow = 'free' | 'centred' | 'heading'

const source = shallowRef<Source>(new BrowserSource())

/** What is known of a device that has told nothing yet. */
const NOTHING = {
  trouble: null as Trouble | null,
  fix: null as Fix | null,
  /** The last reading as it came, and why it was refused. */
  raw: null as Fix | null,
  refused: null as Refused | null,
  taken: 0,
  refusals: 0,
  pointing: null as Pointing | null,
}

export const device = reactive({
  ...NOTHING,
  on: false,
  simulated: false,
  /** Why the browser is about to be asked; null while nothing is to be asked. */
  reason: null as string | null,
  /** What is asked for is told to others. */
  leaves: false,
  needleDeg: null as number | null,
  distrust: null as Distrust | null,
  clockBehindMs: 0,
  /** The time by the source's clock, a few times a second. */
  now: 0,
  follow: 'free' as Follow,
})

let sift = new Sift()
let needle = new Needle()
const glide = new Glide()
let ticking = 0
const followers = new Set<(f: Fix) => void>()
const restarts = new Set<() => void>()

/** Where the device is shown at a moment of the page's clock, gliding from fix to fix. */
export const shownAt = (now: number) => (device.on ? glide.at(now) : null)
export const glides = (now: number): boolean => device.on && glide.gliding(now)

/** Which receiver is wanted: the best, or a rough one that saves the battery. */
export const receiver = useLocalStorage<'best' | 'rough'>('viandante.receiver', 'best')

/** Calls a function with each fix, until what it returns is called. */
export function onFix(f: (fix: Fix) => void, restarted: () => void = () => {}): () => void {
  followers.add(f)
  restarts.add(restarted)
  return () => {
    followers.delete(f)
    restarts.delete(restarted)
  }
}

export const ageMs = computed(() => (device.fix ? Math.max(0, device.now - device.fix.timeMs) : null))

export const tracking = computed<Tracking>(() => {
  if (device.reason) return 'asking'
  if (device.trouble === 'refused') return 'refused'
  if (!device.on) return 'off'
  if (!device.fix) return device.trouble ?? 'searching'
  if ((ageMs.value ?? 0) > STALE_MS) return 'stale'
  return device.fix.accuracyM > COARSE_M ? 'coarse' : 'good'
})

/** Where the device goes while it moves, else where it points; null where neither is known: unknown is not north. */
export const heading = computed<number | null>(() => {
  const f = device.fix
  if (tracking.value === 'stale') return null
  if (f?.headingDeg != null && (f.speedMps ?? 0) >= MOVING_MPS) return f.headingDeg
  return device.distrust ? null : device.needleDeg
})

/** What is known now; the page shows it some times a second, however often fixes come. */
const known = { ...NOTHING }
const SHOW_MS = 250

/** The last fix, also where the page does not show it yet. */
export const lastFix = () => (device.on ? known.fix : null)

function showNow(): void {
  Object.assign(device, known, {
    clockBehindMs: sift.clockBehindMs,
    needleDeg: needle.headingDeg,
    distrust: needle.distrust,
  })
  tick()
}
const show = useThrottleFn(showNow, SHOW_MS, true)

const sink: Sink = {
  fix(f) {
    const { fix, refused } = sift.take(f, source.value.now())
    Object.assign(known, { raw: f, refused })
    if (fix) {
      known.taken++
      Object.assign(known, { fix, trouble: null })
      needle.compare(fix)
      glide.head(fix.at, performance.now())
    } else known.refusals++
    void show()
    if (!fix) return
    standFollowing(fix)
    for (const told of followers) told(fix)
  },
  pointing(p) {
    known.pointing = p
    needle.turn(p, performance.now())
    void show()
  },
  trouble(why) {
    known.trouble = why
    showNow()
    // Permission was withdrawn: what was known last stays, and grows old.
    if (why === 'refused') source.value.stop()
  },
  restart() {
    sift = new Sift()
    needle = new Needle()
    known.fix = null
    stoodAt = null
    showNow()
    for (const restarted of restarts) restarted()
  },
}

function tick(): void {
  device.now = source.value.now()
}

/** Another source tells from now on; null for the browser, which then is not asked before somebody wants it to be. */
export function tellBy(other: Source | null): void {
  const { here, underWay } = desk
  stopDevice()
  source.value = other ?? new BrowserSource()
  device.simulated = source.value.simulated
  if (!other) return
  begin()
  Object.assign(desk, { here, underWay })
}

function begin(): void {
  forget()
  device.on = true
  ticking = window.setInterval(tick, TICK_MS)
  tick()
  source.value.start(sink, { accurate: receiver.value === 'best' })
}

function forget(): void {
  sift = new Sift()
  needle = new Needle()
  glide.clear()
  Object.assign(known, NOTHING)
  device.reason = null
  showNow()
}

let goOn: ((yes: boolean) => void) | null = null

/** Answers whether the browser may be asked, after the page has said why. */
export function answer(yes: boolean): void {
  device.reason = null
  goOn?.(yes)
  goOn = null
}

/** Whether the browser may be asked: the page says why first, where the browser would ask now. */
async function mayAsk(reason: string): Promise<boolean> {
  if (source.value.simulated) return true
  const state = await navigator.permissions?.query({ name: 'geolocation' }).then(
    (p) => p.state,
    () => 'prompt',
  )
  if (state !== 'prompt') return true
  device.reason = reason
  return new Promise((resolve) => {
    goOn?.(false)
    goOn = resolve
  })
}

/** Begins to know where the device is; reason says what for. */
export async function startDevice(reason: string, leaves = false): Promise<boolean> {
  device.leaves = leaves
  if (device.on && device.trouble !== 'refused') return true
  if (!(await mayAsk(reason))) return false
  const compass = askForCompass() // while a button is being pressed
  begin()
  await compass
  return true
}

export function stopDevice(): void {
  source.value.stop()
  clearInterval(ticking)
  device.on = false
  device.follow = 'free'
  if (desk.here && device.simulated) desk.standpoint = stoodBefore // nobody stands where a device pretended to be
  desk.here = false
  forget()
}

/** One position, of the running device where it has one. */
export async function positionOnce(reason: string): Promise<Fix> {
  if (device.on && (tracking.value === 'good' || tracking.value === 'coarse')) return device.fix!
  if (device.simulated) throw new Error('The rehearsal has no signal just now.')
  if (!(await mayAsk(reason))) throw new DOMException('', 'AbortError')
  const one = new BrowserSource()
  return new Promise((resolve, reject) => {
    const nothing = () => {}
    const told = (f: Fix) => {
      const { fix, refused } = new Sift().take(f, Date.now())
      if (fix) resolve(fix)
      else reject(new Error(`The browser reports ${refused}. Click a spot on the map instead.`))
    }
    const trouble = (why: Trouble) => reject(new Error(remedies[why]))
    one.start(
      { fix: told, pointing: nothing, restart: nothing, trouble },
      { accurate: receiver.value === 'best', once: true },
    )
  })
}

/** What to do where there is no position. */
export const remedies: Record<Trouble, string> = {
  refused:
    'The browser does not give away where you are. Allow it beside the address line, or click a spot on the map.',
  unavailable:
    'The device cannot tell where it is just now. Switch on its location, go outdoors, or click a spot on the map.',
  timeout: 'No position came within 20 seconds. It is still being looked for; outdoors that is quicker.',
}

// How often the standpoint follows the device.

/** After so many seconds and so many metres the standpoint follows. */
export const OFTEN: Record<string, { title: string; seconds: number; metres: number }> = {
  second: { title: 'each second', seconds: 1, metres: 0 },
  ten: { title: 'every 10 s', seconds: 10, metres: 0 },
  near: { title: 'every 25 m', seconds: 1, metres: 25 },
  far: { title: 'every 250 m', seconds: 1, metres: 250 },
}
export const often = useLocalStorage('viandante.often', 'second')
let stoodBefore: typeof desk.standpoint = null
let stoodAt: { fix: Fix; wallMs: number } | null = null
let standing = 0

function standFollowing(f: Fix): void {
  if (!desk.here) return
  const rule = OFTEN[often.value] ?? OFTEN.second!
  const wallMs = performance.now()
  // Seconds are the page's: however fast a rehearsal runs, the server is asked no more often.
  clearTimeout(standing)
  if (stoodAt && distanceM(stoodAt.fix.at, f.at) < rule.metres) return
  const early = stoodAt ? stoodAt.wallMs + rule.seconds * 1000 - wallMs : 0
  if (early > 0) {
    standing = window.setTimeout(() => known.fix && standFollowing(known.fix), early)
    return
  }
  stoodAt = { fix: f, wallMs }
  desk.standpoint = {
    ...f.at,
    name: device.simulated ? 'the simulated device' : 'where I am',
    accuracyM: Math.round(f.accuracyM),
    timeMs: f.timeMs,
  }
}

/** The standpoint follows the device from now on. */
export async function standWithDevice(): Promise<void> {
  if (!(await startDevice('so that distances and directions are taken from where you are'))) return
  if (!desk.here) stoodBefore = desk.standpoint
  desk.here = true
  stoodAt = null
  if (device.fix) standFollowing(device.fix)
}

/** Whoever takes another standpoint follows the device no longer. */
export function standStill(): void {
  desk.here = false
}

/** How old the standpoint is that follows, in words. */
export const standpointAge = computed(() => {
  const at = desk.standpoint
  if (!desk.here || at?.timeMs === undefined) return null
  return `${ageWords(Math.max(0, device.now - at.timeMs))} · ± ${metres(at.accuracyM ?? 0)}`
})

export function ageWords(ms: number): string {
  const s = Math.round(ms / 1000)
  if (s < 2) return 'now'
  if (s < 120) return `${s} s ago`
  return s < 7200 ? `${Math.round(s / 60)} min ago` : `${Math.round(s / 3600)} h ago`
}

wholePage.run(() => {
  // A page that was hidden has slept: what it knows is as old as it is.
  const visible = useDocumentVisibility()
  watch(visible, () => device.on && tick())
  watch(receiver, (which) => device.on && source.value.start(sink, { accurate: which === 'best' }))
  watch(tracking, (now, before) => {
    if (now === 'stale' && before === 'good') say('The position is no longer new: no signal just now.')
  })
})
