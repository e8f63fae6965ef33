// Quick keys: a digit for one place or several, which q and the digit bring up.

import { ref } from 'vue'
import { api, unwrap } from '../api/client'
import { select } from './acts'
import { desk } from './desk'
import { showOnly } from './listing'
import { complain, say } from './notice'
import { crowded, listed, places, setProperty, type Place } from './places'

export const quickKeyOf = (p: Place) => (p.feature.properties as { quick_key?: string }).quick_key

/** Which of the two a digit is waited for. */
export const waiting = ref<'show' | 'give' | null>(null)
let timer = 0

export function wait(what: 'show' | 'give'): void {
  if (what === 'give' && !desk.place) return say('Select a place first; then it gets a quick key.', { wrong: true })
  waiting.value = what
  clearTimeout(timer)
  timer = window.setTimeout(() => (waiting.value = null), 5000)
  say(what === 'show' ? 'Which quick key? 1 to 9.' : 'Under which quick key, 1 to 9? The one it has takes it away.')
}

/** Takes the key that follows; true when it was meant for this. */
export function take(key: string): boolean {
  const what = waiting.value
  waiting.value = null
  clearTimeout(timer)
  if (!what || !/^[1-9]$/.test(key)) return false
  const place = desk.place && places.get(desk.place)
  if (what === 'show') void showQuick(key).catch(complain)
  else if (place) give(place, key)
  return true
}

export function give(place: Place, key: string): void {
  setProperty(place, 'quick_key', quickKeyOf(place) === key ? null : key).catch(complain)
}

/** Shows what has a quick key: one place is selected, several are shown alone. */
export async function showQuick(key: string): Promise<void> {
  let list = [...places.values()].filter((p) => quickKeyOf(p) === key)
  if (crowded.value) {
    const found = await unwrap(
      api.GET('/v1/features', { params: { query: { where: [`quick_key:${key}`], limit: 150 } } }),
    )
    list = found.features.map(listed)
    places.set(...list)
  }
  const [first] = list
  if (!first)
    say(`Nothing has the quick key ${key} yet. Select a place and press Shift Q, then ${key}.`, { wrong: true })
  else if (list.length === 1) select(first.id, true)
  else {
    desk.place = null
    showOnly(list)
    say(`${list.length} under ${key}; z shows all again.`)
  }
}
