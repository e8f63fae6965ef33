// One's own position, shared with the party: sent as it comes, kept while the server is away and sent later, gone at
// once when one stops.

import { useIntervalFn, useLocalStorage } from '@vueuse/core'
import { v7 as uuidv7 } from 'uuid'
import { computed, reactive } from 'vue'
import { Refusal, api, unwrap } from '../api/client'
import type { Fix } from '../device/source'
import { device, onFix, startDevice } from './device'
import { guest, party } from './party'
import { wholePage } from './server'

/** Who one is in which party, on this device. */
const mine = useLocalStorage<{ party: string; member: string; name: string } | null>('viandante.member', null, {
  serializer: { read: (v) => JSON.parse(v), write: (v) => JSON.stringify(v) },
})
export const me = computed(() => guest.value ?? mine.value)

export const sharing = reactive({
  on: false,
  /** How many positions wait to be sent. */
  waiting: 0,
  /** Why they do not go out just now. */
  trouble: '',
})
const MOST_WAITING = 10_000
const SEND_MS = 1000
let unsent: Fix[] = []
let sending = false

const memberPath = (m: { party: string; member: string }) => ({ params: { path: { id: m.party, member: m.member } } })

/** Begins to share where the device is, under a name. */
export async function share(name: string): Promise<void> {
  const to = guest.value?.party ?? party.value?.id
  if (!to) throw new Error('There is no party yet: make one first.')
  if (!(await startDevice('so that your party sees where you are', true))) return
  const known = me.value?.party === to ? me.value.member : uuidv7()
  await unwrap(
    api.PUT('/v1/parties/{id}/members/{member}', {
      ...memberPath({ party: to, member: known }),
      body: { name, sharing: true },
    }),
  )
  if (!guest.value) mine.value = { party: to, member: known, name }
  Object.assign(sharing, { on: true, trouble: '' })
  unsent = device.fix ? [device.fix] : []
  void send()
}

/** Stops at once: the position is forgotten here, on the server and by everybody who looks. */
export async function stopSharing(): Promise<void> {
  sharing.on = false
  unsent = []
  sharing.waiting = 0
  const m = me.value
  if (!m) return
  await unwrap(
    api.PUT('/v1/parties/{id}/members/{member}', { ...memberPath(m), body: { name: m.name, sharing: false } }),
  )
}

/** Leaves the party. */
export async function leaveParty(): Promise<void> {
  const m = me.value
  sharing.on = false
  unsent = []
  if (!m) return
  await unwrap(api.DELETE('/v1/parties/{id}/members/{member}', memberPath(m)))
  mine.value = null
}

async function send(): Promise<void> {
  const m = me.value
  if (sending || !unsent.length || !sharing.on || !m) return
  sending = true
  const batch = unsent
  unsent = []
  try {
    await unwrap(
      api.PUT('/v1/parties/{id}/members/{member}/positions', {
        ...memberPath(m),
        body: {
          sent_at: new Date().toISOString(),
          positions: batch.map((f) => ({
            position: [f.at.lng, f.at.lat],
            time: new Date(f.timeMs).toISOString(),
            accuracy_m: f.accuracyM,
            altitude_m: f.altitudeM,
            heading_deg: f.headingDeg,
            speed_mps: f.speedMps,
          })),
        },
      }),
    )
    sharing.trouble = ''
  } catch (e) {
    // What could not be sent is sent later, all of it together; a refusal is final.
    const refused = e instanceof Refusal && e.status >= 400 && e.status < 500
    if (!refused) unsent = [...batch, ...unsent].slice(-MOST_WAITING)
    if (refused && [401, 404, 409].includes((e as Refusal).status)) sharing.on = false
    sharing.trouble = e instanceof Error ? e.message : String(e)
  } finally {
    sending = false
    sharing.waiting = unsent.length
  }
}

wholePage.run(() => {
  useIntervalFn(() => void send(), SEND_MS)
  onFix((f) => {
    if (!sharing.on) return
    unsent.push(f)
    sharing.waiting = unsent.length
  })
})
