// A form that was open when the page went away, for another app or because the phone needed the room, is there again
// when the page comes back.

import { useEventListener } from '@vueuse/core'
import { watch } from 'vue'
import { begin, editing } from './editing'
import { say } from './notice'
import { fetchPlace, type Draft } from './places'
import { wholePage } from './server'

const KEY = 'viandante.unsaved'
/** Whoever opens the page anew, or elsewhere, does not come back. */
const opened = location.href
const isBack = () =>
  (performance.getEntriesByType('navigation')[0] as PerformanceNavigationTiming | undefined)?.type !== 'navigate'

interface Unsaved {
  href: string
  place: { collection: string; id: string } | null
  draft: Draft
}

function leave(): void {
  if (!editing.open) return
  const { place, draft } = editing
  const unsaved: Unsaved = {
    href: location.href,
    place: place && { collection: place.collection, id: place.id },
    draft,
  }
  sessionStorage.setItem(KEY, JSON.stringify(unsaved))
}

/** Opens the form again that was left open. */
export async function comeBack(): Promise<void> {
  const text = sessionStorage.getItem(KEY)
  sessionStorage.removeItem(KEY)
  if (!text || editing.open) return
  const { href, place, draft } = JSON.parse(text) as Unsaved
  if (href !== opened || !isBack()) return
  if (place) begin(await fetchPlace(place.collection, place.id))
  Object.assign(editing, { open: true, draft })
  say('The form is as you left it; it is not saved yet.')
}

wholePage.run(() => {
  useEventListener(window, 'pagehide', leave)
  useEventListener(document, 'visibilitychange', () => document.hidden && leave())
  watch(
    () => editing.open,
    (open) => !open && sessionStorage.removeItem(KEY),
  )
})
