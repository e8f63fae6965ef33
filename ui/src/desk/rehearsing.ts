// The rehearsal that plays in place of the device: begun, halted, scrubbed; kept ones are shared by their link.

import { reactive, watch } from 'vue'
import { api, unwrap, type Rehearsal, type RehearsalIn } from '../api/client'
import { Player, type Played } from '../device/player'
import { fixesOf } from '../guide/api'
import { desk, type Mode, type Named } from './desk'
import { tellBy } from './device'
import { deleteRehearsal, putRehearsal } from './kept'
import { complain, say } from './notice'
import { readAgain, wholePage } from './server'

export const rehearsing = reactive({
  row: null as Rehearsal | null,
  loading: false,
  playing: false,
  speed: 1,
  elapsedS: 0,
  lengthS: 0,
  /** Where the simulated device really is. */
  truth: null as Played['truth'] | null,
})

let player: Player | null = null
let timer = 0

/** How often the player's moment is shown while it plays, in milliseconds. */
const SHOW_MS = 250

function follow(): void {
  clearTimeout(timer)
  if (!player) return
  rehearsing.playing = player.playing
  rehearsing.speed = player.speed
  rehearsing.elapsedS = player.elapsedS
  rehearsing.truth = player.current?.truth ?? null
  if (player.playing) timer = window.setTimeout(follow, SHOW_MS)
  else desk.rehearsalAt = player.elapsedS
}

/** Opens a rehearsal in place of the device; from a second on, playing or not. */
export async function openRehearsal(id: string, options: { play?: boolean; atS?: number; speed?: number } = {}) {
  rehearsing.loading = true
  try {
    const [row, track] = await Promise.all([
      unwrap(api.GET('/v1/rehearsals/{id}', { params: { path: { id } } })),
      unwrap(api.GET('/v1/rehearsals/{id}/track', { params: { path: { id } }, parseAs: 'text' })),
    ])
    player?.stop()
    player = new Player(fixesOf(track as unknown as string), follow)
    rehearsing.row = row
    rehearsing.lengthS = player.lengthS
    desk.rehearsal = id
    tellBy(player)
    if (options.speed) player.setSpeed(options.speed)
    if (options.atS) player.seek(options.atS)
    if (options.play) player.play()
    follow()
  } finally {
    rehearsing.loading = false
  }
}

export function closeRehearsal(): void {
  player?.stop()
  player = null
  clearTimeout(timer)
  Object.assign(rehearsing, { row: null, playing: false, elapsedS: 0, lengthS: 0, truth: null })
  desk.rehearsal = null
  desk.rehearsalAt = 0
  tellBy(null)
}

export const playOrPause = (): void => (player?.playing ? player.pause() : player?.play())
export const stepBy = (n: number): void => player?.step(n)
export const scrubTo = (s: number): void => player?.seek(s)
export const setSpeed = (n: number): void => player?.setSpeed(n)

/** The ends of a rehearsal along the roads; null for one of a line. */
export function endsOf(r: Rehearsal): { from: Named; to: Named } | null {
  const [first, last] = [r.stops?.[0], r.stops?.at(-1)]
  if (!first || !last) return null
  return {
    from: { lat: first[1]!, lng: first[0]! },
    to: { lat: last[1]!, lng: last[0]!, name: r.destination || undefined },
  }
}

/** What a rehearsal is made of, but for where it goes. */
export interface Manner {
  seed: number
  error_m: number
  pauses: number
  signal_lost: number
  wrong_turns: number
  compass: 'good' | 'uncalibrated' | 'none'
}

export const MANNER: Manner = { seed: 1, error_m: 5, pauses: 0, signal_lost: 0, wrong_turns: 0, compass: 'good' }

const WORDS: Record<Mode, string> = { foot: 'On foot', bicycle: 'By bicycle', car: 'By car' }

/** A rehearsal of the way that is shown. */
export function ofWay(from: Named, to: Named, by: Mode, manner: Manner): RehearsalIn {
  const goal = to.name ?? 'a spot'
  return {
    ...manner,
    name: `${WORDS[by]} to ${goal}`.slice(0, 100),
    by,
    stops: [
      [from.lng, from.lat],
      [to.lng, to.lat],
    ],
    destination: (to.name ?? '').slice(0, 100),
  }
}

/** Keeps a rehearsal and plays it. */
export async function rehearse(body: RehearsalIn, options: { speed?: number } = {}): Promise<void> {
  const row = await putRehearsal(body)
  await openRehearsal(row.id, { play: true, ...options })
}

const MOST_BYTES = 32 << 20

/** Keeps a recorded track and plays it. */
export async function rehearseFile(file: File, by: Mode): Promise<void> {
  if (file.size > MOST_BYTES) throw new Error(`${file.name} has more than 32 MB; send a day of it, or a thinner track`)
  const row = await unwrap(
    api.POST('/v1/rehearsals', {
      params: { query: { by } },
      body: await file.text(),
      bodySerializer: (text: unknown) => text as string,
      headers: { 'Content-Type': 'application/gpx+xml' },
    }),
  )
  await readAgain(['rehearsals'])
  say(`Saved the rehearsal “${row.name}”`)
  await openRehearsal(row.id, { play: true })
}

/** Deletes a rehearsal whole, so that it can be brought back whole. */
export async function dropRehearsal(r: Rehearsal): Promise<void> {
  if (rehearsing.row?.id === r.id) closeRehearsal()
  const { course: _, ...whole } = await unwrap(api.GET('/v1/rehearsals/{id}', { params: { path: { id: r.id } } }))
  await deleteRehearsal(whole)
}

/** Renames a kept one. */
export async function renameRehearsal(r: Rehearsal, name: string): Promise<void> {
  const { course: _, ...whole } = await unwrap(api.GET('/v1/rehearsals/{id}', { params: { path: { id: r.id } } }))
  const row = await putRehearsal({ ...whole, name }, whole)
  if (rehearsing.row?.id === r.id) rehearsing.row = { ...rehearsing.row, ...row }
}

/** A link with a rehearsal opens it, halted where the link has it. */
export function followLink(): void {
  wholePage.run(() =>
    watch(
      () => desk.rehearsal,
      (id) => {
        if (id && rehearsing.row?.id !== id && !rehearsing.loading)
          openRehearsal(id, { atS: desk.rehearsalAt }).catch((e) => {
            desk.rehearsal = null
            complain(e)
          })
        else if (!id && rehearsing.row) closeRehearsal()
      },
      { immediate: true },
    ),
  )
}
