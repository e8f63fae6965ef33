// What leaves the workbench: tokens, the map in a frame, the map as a picture.

import { computed, reactive, ref, watch } from 'vue'
import { api, unwrap } from '../api/client'
import type { components } from '../api/schema'
import { desk } from './desk'
import { position, round7 } from './format'
import { places } from './places'

export type Token = components['schemas']['Token']
export type Scope = components['schemas']['Scope']

export const SCOPES: Record<Scope, string> = {
  read: 'read places',
  write: 'change places',
  geocode: 'look addresses up',
  route: 'find ways',
  live: 'positions, parties, watches',
  publish: 'show what is published',
  admin: 'make and revoke tokens',
}

export const tokens = ref<Token[]>([])
/** Secrets of tokens that were made on this visit: nobody is told them again. */
export const secrets = reactive(new Map<string, string>())

export async function loadTokens(): Promise<void> {
  tokens.value = (await unwrap(api.GET('/v1/tokens'))).tokens
}
export const hasEnded = (t: Token): boolean =>
  !!t.revoked_at || (!!t.expires_at && new Date(t.expires_at).getTime() < Date.now())

export interface TokenDraft {
  name: string
  scopes: Scope[]
  collections: string[] | null
  origins: string[]
  expires_at: string | null
  per_minute: number
  per_day: number
}
export async function makeToken(draft: TokenDraft): Promise<Token> {
  const made = await unwrap(api.POST('/v1/tokens', { body: draft }))
  secrets.set(made.token.id, made.secret)
  await loadTokens()
  return made.token
}
export async function rotateToken(t: Token, overlap: string): Promise<void> {
  const made = await unwrap(
    api.POST('/v1/tokens/{id}/rotate', { params: { path: { id: t.id }, query: { overlap: overlap || undefined } } }),
  )
  secrets.set(t.id, made.secret)
  await loadTokens()
}
export async function revokeToken(t: Token): Promise<void> {
  await unwrap(api.DELETE('/v1/tokens/{id}', { params: { path: { id: t.id } } }))
  secrets.delete(t.id)
  await loadTokens()
}
export const useOf = (id: string) =>
  unwrap(api.GET('/v1/tokens/{id}/use', { params: { path: { id }, query: { days: 30 } } })).then((u) => u.use)

/** What is to be seen on the map that leaves the workbench, and how. */
export const scene = reactive({
  what: 'place' as 'place' | 'collection' | 'address' | 'way' | 'view',
  collection: '',
  address: '',
  token: '',
  fitted: true,
  width: 600,
  height: 400,
  ground: 'plain',
  night: 'auto' as 'auto' | 'no' | 'yes',
  lettering: 'plain',
  // of the frame
  lang: '',
  title: '',
  buttons: false,
  position: false,
  still: false,
  link: '',
  // of the picture
  ratio: 2,
  ring: false,
  line: 'band',
  attribution: true,
})

/** What can be shown just now. */
export const subjects = computed(() => ({
  place: desk.place ? (places.get(desk.place)?.name ?? null) : null,
  way: desk.standpoint && desk.destination ? `to ${desk.destination.name || position(desk.destination)}` : null,
}))
watch(
  () => [desk.place, desk.publishPart] as const,
  ([place]) => {
    if (scene.what === 'place' && !place) scene.what = 'collection'
  },
  { immediate: true },
)

/** The parts of the query that say what is to be seen; empty parts are left out. */
export function shownParts(): [string, string][] {
  const out: [string, string][] = []
  const put = (name: string, value: string | null | undefined | false) => value && out.push([name, value])
  if (scene.what === 'place') put('feature', desk.place)
  if (scene.what === 'collection') put('collection', scene.collection)
  if (scene.what === 'address') put('address', scene.address.trim())
  if (scene.what === 'way' && desk.standpoint && desk.destination) {
    put('route', `${position(desk.standpoint)};${position(desk.destination)}`)
    put('by', desk.by)
  }
  return out
}

function viewParts(): [string, string][] {
  const v = desk.view
  if (!v || (scene.fitted && scene.what !== 'view')) return []
  return [
    ['center', position(v)],
    ['zoom', String(round7(Number(v.zoom.toFixed(2))))],
  ]
}

const lookParts = (): [string, string][] =>
  [
    ['ground', scene.ground === 'plain' ? '' : scene.ground],
    ['lettering', scene.lettering === 'plain' ? '' : scene.lettering],
  ].filter(([, v]) => v) as [string, string][]

export const written = (parts: [string, string][]): string =>
  parts
    .map(([name, value]) => `${name}=${encodeURIComponent(value).replaceAll('%2C', ',').replaceAll('%3B', ';')}`)
    .join('&')

/** The query of the frame. */
export function embedParts(): [string, string][] {
  const more: [string, string][] = [
    ['night', scene.night === 'auto' ? '' : scene.night],
    ['lang', scene.lang],
    ['title', scene.title.trim()],
    ['buttons', scene.buttons ? 'yes' : ''],
    ['position', scene.position ? 'yes' : ''],
    ['interaction', scene.still ? 'none' : ''],
    ['link', scene.link.trim()],
  ]
  return [
    ...(scene.token ? [['token', scene.token] as [string, string]] : []),
    ...shownParts(),
    ...viewParts(),
    ...lookParts(),
    ...more.filter(([, v]) => v),
  ]
}

/** The query of the picture. */
export function pictureParts(): [string, string][] {
  const out = [...shownParts(), ...viewParts(), ...lookParts()]
  if (scene.ring && desk.standpoint)
    out.push([
      'ring',
      [
        position(desk.standpoint),
        ...(desk.beyondM > 0 ? [`${Math.round(desk.beyondM)}m`] : []),
        `${Math.round(desk.withinM)}m`,
      ].join(';'),
    ])
  out.push(['width', String(scene.width)], ['height', String(scene.height)])
  if (scene.ratio !== 1) out.push(['ratio', String(scene.ratio)])
  if (scene.night === 'yes') out.push(['night', 'yes'])
  if (scene.what === 'way' && scene.line !== 'band') out.push(['line', scene.line])
  if (!scene.attribution) out.push(['attribution', 'no'])
  return out
}

/** A text as it stands in an attribute of HTML. */
export const quoted = (text: string): string =>
  text.replaceAll('&', '&amp;').replaceAll('"', '&quot;').replaceAll('<', '&lt;').replaceAll('>', '&gt;')

/** Signs the address of the picture on behalf of a token. */
export const signPicture = (token: string): Promise<string> =>
  unwrap(api.POST('/v1/picture-link', { body: { query: written(pictureParts()), token } })).then((a) => a.url)
