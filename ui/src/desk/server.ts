// What the server holds, as the page knows it: queries that live as long as the page, kept current by the stream of
// changes. What is kept under the key "features" follows every change of a feature.

import { QueryClient, notifyManager, useQuery, type QueryKey } from '@tanstack/vue-query'
import { computed, effectScope, ref, type ComputedRef } from 'vue'
import { Refusal } from '../api/client'

// What somebody has just changed is there with the next line of code, not with the next turn of the event loop.
notifyManager.setScheduler((run) => run())

/** Only what may go better next time is asked again. */
const retry = (count: number, error: Error) =>
  error instanceof Refusal && (error.status === 0 || error.status === 503) && count < 3

export const client = new QueryClient({ defaultOptions: { queries: { retry } } })

/** Nothing is asked before somebody has signed in. */
export const signedIn = ref(false)

/** What belongs to the page as a whole, and ends with it. */
export const wholePage = effectScope(true)

/** The answer to a question that the page as a whole asks, and what stands for it before it is there. */
export function kept<T>(queryKey: QueryKey, queryFn: () => Promise<T>, none: T): ComputedRef<T> {
  return wholePage.run(() => {
    const { data } = useQuery<T>(
      { queryKey, queryFn, enabled: signedIn, staleTime: Infinity, structuralSharing: false, shallow: true },
      client,
    )
    return computed(() => (data.value as T | undefined) ?? none)
  })!
}

/** Reads something anew; what was there is shown until then. */
export const readAgain = (queryKey: QueryKey): Promise<void> => client.invalidateQueries({ queryKey })

/** How many changes are gathered, in milliseconds: somebody may be changing thousands. */
const GATHER_MS = 40
let due = 0
const followers = new Set<() => void>()

/** Whatever depends on features is asked for anew, all but those that the page holds itself. */
export function featuresChanged(): void {
  due ||= window.setTimeout(() => {
    due = 0
    void client.invalidateQueries({ queryKey: ['features'], predicate: (q) => q.queryKey[1] !== 'held' })
    for (const f of followers) f()
  }, GATHER_MS)
}

/** Calls a function after features have changed, until what it returns is called. */
export function onFeatures(f: () => void): () => void {
  followers.add(f)
  return () => followers.delete(f)
}

/** Signing out forgets everything. */
export function forget(): void {
  signedIn.value = false
  client.clear()
}
