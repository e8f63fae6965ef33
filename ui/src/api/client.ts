// The one client for the server. It keeps what went over the wire, for the line at the foot of the page.

import createClient from 'openapi-fetch'
import { shallowRef, triggerRef } from 'vue'
import type { components, paths } from './schema'

export type Feature = components['schemas']['Feature']
export type Problem = components['schemas']['Problem']
export type Route = components['schemas']['Route']
export type Step = components['schemas']['Step']
export type Category = components['schemas']['Category']
export type Attribute = components['schemas']['Attribute']
type Histories = paths['/v1/collections/{collection}/history/{id}']['get']['responses']['200']['content']
export type Past = Histories['application/json']['history'][number]
export type Binned = paths['/v1/bin']['get']['responses']['200']['content']['application/json']['bin'][number]
export type Collection = components['schemas']['Collection']

export type SavedView = components['schemas']['View']
export type Overlay = components['schemas']['Overlay']
export type OverlayIn = components['schemas']['OverlayIn']
export type Rehearsal = components['schemas']['Rehearsal']
export type RehearsalIn = components['schemas']['RehearsalIn']
export type Party = components['schemas']['Party']
export type PartyIn = components['schemas']['PartyIn']
export type Member = components['schemas']['Member']
export type Watch = components['schemas']['Watch']
export type WatchIn = components['schemas']['WatchIn']
export type WatchEvent = components['schemas']['WatchEvent']
export type Watched = components['schemas']['Watched']
export type LinkTemplate = components['schemas']['LinkTemplate'] & { name: string }
export type LinkTemplateIn = components['schemas']['LinkTemplateIn']
export type OnwardLinks = components['schemas']['OnwardLinks']
export type Emergency = components['schemas']['Emergency']
export type Imagery = components['schemas']['Imagery']
export type ImageryIn = components['schemas']['ImageryIn']

export interface Exchange {
  method: string
  /** Path and query. */
  path: string
  request: string
  contentType: string
  ifMatch: string
  status: number
  ms: number
  answer: string
}

/** The last exchanges, newest first. */
export const wire = shallowRef<Exchange[]>([])
/** What the page asks of its own accord is not what somebody wants to copy. */
const BACKGROUND = new Set(['/session', '/v1/regions'])
/** Where the device is, each second. */
const REPORTS = /\/positions$/
const MOST_KEPT = 30
const MOST_TEXT = 20_000

async function recorded(input: Request): Promise<Response> {
  const url = new URL(input.url)
  const request = input.method === 'GET' ? '' : await input.clone().text()
  const began = performance.now()
  const response = await fetch(input)
  const ms = performance.now() - began
  if (!BACKGROUND.has(url.pathname) && !REPORTS.test(url.pathname)) {
    const exchange: Exchange = {
      method: input.method,
      path: url.pathname + url.search.replaceAll('%2C', ','),
      request,
      contentType: request ? (input.headers.get('Content-Type') ?? '') : '',
      ifMatch: input.headers.get('If-Match') ?? '',
      status: response.status,
      ms,
      answer: '',
    }
    wire.value = [exchange, ...wire.value].slice(0, MOST_KEPT)
    void response
      .clone()
      .text()
      .then((t) => {
        exchange.answer = t.slice(0, MOST_TEXT)
        triggerRef(wire)
      })
      .catch(() => {}) // an aborted request has no answer to keep
  }
  return response
}

export const api = createClient<paths>({
  baseUrl: location.origin,
  fetch: recorded,
  querySerializer: { array: { style: 'form', explode: true } },
})

/** A problem that the server told of, or that kept us from reaching it. */
export class Refusal extends Error {
  constructor(
    readonly status: number,
    readonly problem: Partial<Problem>,
  ) {
    super(
      problem.errors?.length
        ? problem.errors.map((e) => `${e.reason}${e.hint ? `: ${e.hint}` : ''}`).join('; ')
        : (problem.detail ?? 'The server does not answer.'),
    )
  }
}

/** The data of an answer; throws a Refusal for any other. */
export async function unwrap<T>(answer: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let got
  try {
    got = await answer
  } catch (e) {
    if (e instanceof DOMException && e.name === 'AbortError') throw e
    throw new Refusal(0, { detail: 'The server does not answer. Is it still running?' })
  }
  if (!got.response.ok) throw new Refusal(got.response.status, (got.error ?? {}) as Partial<Problem>)
  return got.data as T
}
