// The questions that the page asks the server.

import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import { computed, type Ref } from 'vue'
import { Refusal, api, unwrap } from '../api/client'
import type { LatLng } from '../chart/camera'
import { desk } from './desk'
import { position } from './format'
import { generation } from './places'

/** Only what may go better next time is asked again. */
const retry = (count: number, error: Error) => error instanceof Refusal && (error.status === 0 || error.status === 503) && count < 3

const MOST_LISTED = 500

/** The places of the ring, from the standpoint. */
export function useNearby() {
  return useQuery({
    queryKey: computed(() => ['nearby', desk.standpoint && position(desk.standpoint), Math.round(desk.beyondM), Math.round(desk.withinM), generation.value]),
    enabled: computed(() => !!desk.standpoint && desk.bench === 'around'),
    placeholderData: keepPreviousData,
    retry,
    queryFn: ({ signal }) =>
      unwrap(
        api.GET('/v1/nearby', {
          params: { query: { at: position(desk.standpoint!), within: `${Math.round(desk.withinM)}m`, beyond: `${Math.round(desk.beyondM)}m`, limit: MOST_LISTED } },
          signal,
        }),
      ),
  })
}

/** What somebody typed, understood. */
export function useInterpretation(text: Ref<string>) {
  const settled = refDebounced(text, 90)
  return useQuery({
    queryKey: computed(() => ['interpret', settled.value.trim()]),
    enabled: computed(() => settled.value.trim().length > 1),
    placeholderData: keepPreviousData,
    retry,
    queryFn: ({ signal }) => {
      const near = desk.standpoint ?? desk.view
      return unwrap(api.GET('/v1/interpret', { params: { query: { q: settled.value.trim(), limit: 9, near: near ? position(near) : undefined } }, signal }))
    },
  })
}

/** The address nearest to a position. */
export function useAddress(at: Ref<LatLng | null>) {
  const settled = refDebounced(at, 60)
  return useQuery({
    queryKey: computed(() => ['address', settled.value && position(settled.value)]),
    enabled: computed(() => !!settled.value),
    retry,
    queryFn: async ({ signal }) => {
      const found = await unwrap(api.GET('/v1/geocode/reverse', { params: { query: { at: position(settled.value!), limit: 1 } }, signal }))
      return found.features[0] ?? null
    },
  })
}

/** What looks wrong about a position. */
export function useDoubts(at: Ref<LatLng | null>) {
  const settled = refDebounced(at, 150)
  return useQuery({
    queryKey: computed(() => ['doubts', settled.value && position(settled.value)]),
    enabled: computed(() => !!settled.value),
    retry,
    queryFn: async ({ signal }) => (await unwrap(api.GET('/v1/doubts', { params: { query: { at: position(settled.value!) } }, signal }))).doubts,
  })
}

/** What was changed about a place, newest first. */
export function useHistory(collection: Ref<string>, id: Ref<string>, version: Ref<number>, open: Ref<boolean>) {
  return useQuery({
    queryKey: computed(() => ['history', id.value, version.value]),
    enabled: open,
    retry,
    queryFn: async ({ signal }) => (await unwrap(api.GET('/v1/collections/{collection}/history/{id}', { params: { path: { collection: collection.value, id: id.value } }, signal }))).history,
  })
}

/** What was deleted last. */
export function useBin() {
  return useQuery({
    queryKey: computed(() => ['bin', generation.value]),
    placeholderData: keepPreviousData,
    retry,
    queryFn: async ({ signal }) => (await unwrap(api.GET('/v1/bin', { params: { query: { limit: 200 } }, signal }))).bin,
  })
}

/** Whether a position lies in a building. */
export function useBuilding(at: Ref<LatLng | null>) {
  const { data } = useQuery({
    queryKey: computed(() => ['building', at.value && position(at.value)]),
    enabled: computed(() => !!at.value),
    retry,
    queryFn: async ({ signal }) => !!(await unwrap(api.GET('/v1/building', { params: { query: { at: position(at.value!) } }, signal }))),
  })
  return computed(() => data.value ?? false)
}

/** The way from the standpoint to the chosen place. */
export function useWay() {
  return useQuery({
    queryKey: computed(() => ['way', desk.standpoint && position(desk.standpoint), desk.destination && position(desk.destination), desk.by]),
    enabled: computed(() => !!desk.standpoint && !!desk.destination),
    retry,
    queryFn: async ({ signal }) => {
      const found = await unwrap(
        api.GET('/v1/route', { params: { query: { from: position(desk.standpoint!), to: position(desk.destination!), by: desk.by } }, signal }),
      )
      return found.features[0]!
    },
  })
}

/** Distance and bearing between two positions. */
export function useMeasure(from: Ref<LatLng | null>, to: Ref<LatLng | null>) {
  return useQuery({
    queryKey: computed(() => ['measure', from.value && position(from.value), to.value && position(to.value)]),
    enabled: computed(() => !!from.value && !!to.value),
    placeholderData: keepPreviousData,
    retry,
    queryFn: ({ signal }) => unwrap(api.GET('/v1/measure', { params: { query: { from: position(from.value!), to: position(to.value!) } }, signal })),
  })
}
