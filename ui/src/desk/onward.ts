// Opening a place, a spot or a way in another app.

import { reactive } from 'vue'
import { api, unwrap, type LinkTemplateIn, type OnwardLinks } from '../api/client'
import { desk, type Mode, type Named } from './desk'
import { position } from './format'
import { complain } from './notice'

export const INTENTS = ['show', 'search', 'route', 'begin'] as const
export type Intent = (typeof INTENTS)[number]
export type Platform = 'android' | 'ios' | 'desktop'

/** Where this page runs, as far as links care. */
export const platform: Platform = /android/i.test(navigator.userAgent)
  ? 'android'
  : /iphone|ipad|ipod/i.test(navigator.userAgent)
    ? 'ios'
    : 'desktop'

/** What is to be opened elsewhere: a stored place, or a position with what it is called. */
export interface Goal extends Partial<Named> {
  collection?: string
  id?: string
  address?: string
}

export const links = reactive<{ goal: Goal | null; intent: Intent; by: Mode; fromHere: boolean }>({
  goal: null,
  intent: 'show',
  by: 'foot',
  fromHere: true,
})

export function openLinks(goal: Goal, intent: Intent = 'show'): void {
  Object.assign(links, { goal, intent, by: desk.by })
}

const query = (intent: Intent) => ({
  intent,
  platform,
  from: links.fromHere && desk.standpoint ? position(desk.standpoint) : undefined,
  from_name: links.fromHere ? desk.standpoint?.name : undefined,
  by: links.by,
  zoom: Math.min(22, Math.round(desk.view?.zoom ?? 16)),
})
const at = (g: Goal) => ({
  at: g.lat === undefined ? undefined : position({ lat: g.lat, lng: g.lng! }),
  name: g.name,
  address: g.address,
  accuracy: g.accuracyM ? `${g.accuracyM}m` : undefined,
})

/** The links to a goal, the default first. */
export async function linksTo(goal: Goal, intent: Intent): Promise<OnwardLinks> {
  const got =
    goal.id && goal.collection
      ? await unwrap(
          api.GET('/v1/collections/{collection}/features/{id}/links', {
            params: {
              path: { collection: goal.collection, id: goal.id },
              query: { ...query(intent), address: goal.address },
            },
          }),
        )
      : await unwrap(api.GET('/v1/links', { params: { query: { ...query(intent), ...at(goal) } } }))
  return { ...got, links: [...got.links].sort((a, b) => Number(b.default) - Number(a.default)) }
}

/** What a template would make of a goal, or what is wrong with it. */
export async function previewOf(
  template: LinkTemplateIn,
  goal: Goal,
  intent: Intent,
): Promise<{ text: string; wrong: boolean }> {
  const got = await unwrap(
    api.POST('/v1/link-templates/preview', {
      params: { query: { ...query(intent), platform: undefined, ...at(goal) } },
      body: template,
    }),
  )
  if (got.wrong) return { text: `It ${got.wrong.reason}: ${got.wrong.hint ?? ''}`, wrong: true }
  return { text: got.links[0]?.url ?? 'It needs a position, which this place has not.', wrong: false }
}

/** The page of the stand-in that shows what a link brings. */
export const tryOut = (url: string) => `/stand-in/receiver?link=${encodeURIComponent(url)}`

/** Whether the device has a menu for sharing. */
export const canSend = typeof navigator.share === 'function'

/** Hands something to the device's menu for sharing. */
export function send(what: ShareData): void {
  navigator.share(what).catch((e: unknown) => {
    if (!(e instanceof DOMException && e.name === 'AbortError')) complain(e) // the menu was closed
  })
}
