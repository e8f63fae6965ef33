// The stream of what moves, open while somebody looks at the party.

import { useEventListener, useIntervalFn } from '@vueuse/core'
import { computed, watch } from 'vue'
import { api, type WatchEvent } from '../api/client'
import { desk } from './desk'
import { parties } from './kept'
import { complain } from './notice'
import { guest, now, people, toldMembers, toldMoves } from './party'
import { signedIn, wholePage } from './server'
import { readEvents, sawEvent } from './watches'

/** How far the server's clock is ahead of the page's, where that is more than a moment. */
let aheadMs = 0
const CLOCK_OFF_MS = 2000

let stream: EventSource | null = null

function listen(on: boolean): void {
  if (!on || document.hidden) {
    stream?.close()
    stream = null
    return
  }
  if (stream) return
  stream = new EventSource(`/v1/changes?topics=positions${guest.value ? '' : '&topics=watch-events'}`)
  // What events were missed while the stream was away is read.
  stream.onopen = () => !guest.value && void readEvents().catch(complain)
  const hear = <T>(name: string, take: (data: T) => void) =>
    stream!.addEventListener(name, (e) => take(JSON.parse((e as MessageEvent<string>).data) as T))
  hear('members', toldMembers)
  hear('positions', toldMoves)
  hear<WatchEvent>('watch-events', sawEvent)
}

/** Whether somebody looks at the party. */
export const looking = computed(() => signedIn.value && (desk.bench === 'party' || !!guest.value))

async function readClock(): Promise<void> {
  const { response } = await api.GET('/v1/parties')
  const told = Date.parse(response.headers.get('Date') ?? '')
  const off = told + 500 - Date.now()
  aheadMs = Math.abs(off) > CLOCK_OFF_MS ? off : 0
}

wholePage.run(() => {
  watch(looking, listen, { immediate: true })
  // Who signs out takes nobody's position along.
  watch(signedIn, (yes) => !yes && people.clear())
  watch(
    () => looking.value && !!parties.value.length,
    (yes) => yes && void readClock().catch(complain),
  )
  useEventListener(document, 'visibilitychange', () => listen(looking.value))
  useEventListener(window, 'pagehide', () => listen(false))
  useEventListener(window, 'pageshow', () => listen(looking.value))
  useIntervalFn(() => looking.value && (now.value = Date.now() + aheadMs), 500)
})
