// The questions that the page asks the server.

import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import { computed, ref, watch, type Ref } from 'vue'
import { api, unwrap } from '../api/client'
import type { LatLng } from '../chart/camera'
import { desk } from './desk'
import { position } from './format'
import { whatIsAt } from './reverse'
import { geometryOf, isWhole, type Outline } from './outline'

const MOST_LISTED = 500

/** The places of the ring, from the standpoint. */
export function useNearby() {
  return useQuery({
    queryKey: computed(() => [
      'features',
      'nearby',
      desk.standpoint && position(desk.standpoint),
      Math.round(desk.beyondM),
      Math.round(desk.withinM),
      desk.around.kind,
      having.value,
    ]),
    enabled: computed(() => !!desk.standpoint && desk.bench === 'around'),
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) =>
      unwrap(
        api.GET('/v1/nearby', {
          params: {
            query: {
              at: position(desk.standpoint!),
              within: `${Math.round(desk.withinM)}m`,
              beyond: `${Math.round(desk.beyondM)}m`,
              limit: MOST_LISTED,
              count: 'true',
              ...narrowed(),
            },
          },
          signal,
        }),
      ),
  })
}

/** What the list is narrowed to, as it is asked for; an attribute that is still being written is not asked for. */
const having = refDebounced(
  computed(() => (/^[a-z][a-z0-9_]*:./.test(desk.around.where) ? desk.around.where : '')),
  250,
)
const narrowed = () => ({
  category: desk.around.kind ? [desk.around.kind] : undefined,
  where: having.value ? [having.value] : undefined,
})

/** The nearest place beyond the ring, or within its inner edge, for a ring that holds nothing. */
export function useNextOut(empty: Ref<boolean>) {
  return useQuery({
    queryKey: computed(() => [
      'features',
      'next-out',
      desk.standpoint && position(desk.standpoint),
      Math.round(desk.withinM),
      desk.around.kind,
      having.value,
    ]),
    enabled: computed(() => empty.value && !!desk.standpoint),
    queryFn: async ({ signal }) => {
      const ask = (beyond: number) =>
        unwrap(
          api.GET('/v1/nearby', {
            params: {
              query: { at: position(desk.standpoint!), beyond: `${beyond}m`, limit: 1, ...narrowed() },
            },
            signal,
          }),
        )
      return (await ask(Math.round(desk.withinM))).features[0] ?? (await ask(0)).features[0] ?? null
    },
  })
}

/** Whether areas serve a position, by which, and what excludes it. */
export function useServed(at: Ref<LatLng | null>, by: Ref<string[]>, exclude: Ref<string[]>) {
  return useQuery({
    queryKey: computed(() => ['features', 'served', at.value && position(at.value), by.value, exclude.value]),
    enabled: computed(() => !!at.value),
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) =>
      unwrap(
        api.GET('/v1/served', {
          params: { query: { at: position(at.value!), collection: by.value, exclude: exclude.value } },
          signal,
        }),
      ),
  })
}

/** How far and how long it is by road to places, by id; null where there is no way. */
export function useByRoad(wanted: Ref<{ id: string; at: LatLng }[]>) {
  const found = ref<Record<string, { distanceM: number; durationS: number } | null>>({})
  watch(
    [() => wanted.value.map((w) => w.id).join(), () => desk.standpoint && position(desk.standpoint), () => desk.by],
    async (now, before, clean) => {
      const stop = new AbortController()
      clean(() => stop.abort())
      if (!before || now[1] !== before[1] || now[2] !== before[2]) found.value = {}
      const missing = wanted.value.filter(({ id }) => !(id in found.value))
      if (!desk.standpoint || !missing.length) return
      const pair = ({ lat, lng }: LatLng) => [lng, lat]
      const body = { from: [pair(desk.standpoint)], to: missing.map(({ at }) => pair(at)), by: desk.by }
      const answer = await api.POST('/v1/matrix', { body, signal: stop.signal }).catch(() => null)
      if (stop.signal.aborted) return
      missing.forEach(({ id }, i) => {
        const [seconds, metres] = [answer?.data?.durations_s[0]?.[i], answer?.data?.distances_m[0]?.[i]]
        found.value[id] = seconds != null && metres != null ? { distanceM: metres, durationS: seconds } : null
      })
    },
    { immediate: true },
  )
  return found
}

/** What somebody typed, understood. */
export function useInterpretation(text: Ref<string>) {
  const settled = refDebounced(text, 90)
  return useQuery({
    queryKey: computed(() => ['interpret', settled.value.trim()]),
    enabled: computed(() => settled.value.trim().length > 1),
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => {
      const near = desk.standpoint ?? desk.view
      return unwrap(
        api.GET('/v1/interpret', {
          params: { query: { q: settled.value.trim(), limit: 9, near: near ? position(near) : undefined } },
          signal,
        }),
      )
    },
  })
}

/** Why a text reads as nothing, and what would be right. */
export const unreadText = (u: { reason: string; hint: string }) => `${u.reason}${u.hint ? `: ${u.hint}` : ''}`

/** The address nearest to a position. */
export function useAddress(at: Ref<LatLng | null>) {
  const settled = refDebounced(at, 60)
  return useQuery({
    queryKey: computed(() => ['address', settled.value && position(settled.value)]),
    enabled: computed(() => !!settled.value),
    queryFn: ({ signal }) => whatIsAt(settled.value!, signal),
  })
}

/** What looks wrong about a position. */
export function useDoubts(at: Ref<LatLng | null>) {
  const settled = refDebounced(at, 150)
  return useQuery({
    queryKey: computed(() => ['doubts', settled.value && position(settled.value)]),
    enabled: computed(() => !!settled.value),
    queryFn: async ({ signal }) =>
      (await unwrap(api.GET('/v1/doubts', { params: { query: { at: position(settled.value!) } }, signal }))).doubts,
  })
}

/** What was changed about a place, newest first. */
export function useHistory(collection: Ref<string>, id: Ref<string>, version: Ref<number>, open: Ref<boolean>) {
  return useQuery({
    queryKey: computed(() => ['history', id.value, version.value]),
    enabled: open,
    queryFn: async ({ signal }) =>
      (
        await unwrap(
          api.GET('/v1/collections/{collection}/history/{id}', {
            params: { path: { collection: collection.value, id: id.value } },
            signal,
          }),
        )
      ).history,
  })
}

/** What was deleted last. */
export function useBin() {
  return useQuery({
    queryKey: ['features', 'bin'],
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) =>
      (await unwrap(api.GET('/v1/bin', { params: { query: { limit: 200 } }, signal }))).bin,
  })
}

/** Whether a position lies in a building. */
export function useBuilding(at: Ref<LatLng | null>) {
  const { data } = useQuery({
    queryKey: computed(() => ['building', at.value && position(at.value)]),
    enabled: computed(() => !!at.value),
    queryFn: async ({ signal }) =>
      !!(await unwrap(api.GET('/v1/building', { params: { query: { at: position(at.value!) } }, signal }))),
  })
  return computed(() => data.value ?? false)
}

/** The way from the standpoint to the chosen place. */
export function useWay() {
  return useQuery({
    queryKey: computed(() => [
      'way',
      desk.standpoint && position(desk.standpoint),
      desk.destination && position(desk.destination),
      desk.by,
    ]),
    enabled: computed(() => !!desk.standpoint && !!desk.destination),
    queryFn: async ({ signal }) => {
      const found = await unwrap(
        api.GET('/v1/route', {
          params: { query: { from: position(desk.standpoint!), to: position(desk.destination!), by: desk.by } },
          signal,
        }),
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
    queryFn: ({ signal }) =>
      unwrap(
        api.GET('/v1/measure', { params: { query: { from: position(from.value!), to: position(to.value!) } }, signal }),
      ),
  })
}

type Shape = Awaited<ReturnType<typeof askShape>>
const askShape = (o: Outline, signal?: AbortSignal) =>
  unwrap(
    api.POST('/v1/shape', {
      body: {
        type: 'Feature',
        geometry: geometryOf(o),
        properties: o.kind === 'circle' ? { radius_m: o.radiusM } : {},
      },
      headers: { 'Content-Type': 'application/geo+json' },
      signal,
    }),
  )

/** The length or the area of an outline, and what is wrong with it. */
export function useShape(outline: Ref<Outline | null>) {
  const settled = refDebounced(outline, 120)
  return useQuery({
    queryKey: computed(() => ['shape', settled.value && isWhole(settled.value) ? JSON.stringify(settled.value) : null]),
    enabled: computed(() => !!settled.value && isWhole(settled.value)),
    placeholderData: keepPreviousData,
    gcTime: 10_000,
    queryFn: ({ signal }) => askShape(settled.value!, signal),
  })
}

/** What is wrong with the outline in edit, for the map to show. */
export const faultsInEdit = ref<Shape['faults']>([])

export function followFaults(shape: Ref<Shape | undefined>): void {
  watch(shape, (s) => (faultsInEdit.value = s?.faults ?? []), { immediate: true })
}

/** Whether what is written as the address lies where the position is; null while that is not known or cannot be. */
export function useAgreement(at: Ref<LatLng | null>, address: Ref<string>) {
  const text = refDebounced(
    computed(() => address.value.trim()),
    400,
  )
  const where = refDebounced(at, 150)
  return useQuery({
    queryKey: computed(() => ['agreement', text.value, where.value && position(where.value)]),
    enabled: computed(() => text.value.length > 4 && !!where.value),
    queryFn: async ({ signal }) => {
      const [found, here] = await Promise.all([
        unwrap(
          api.GET('/v1/geocode', {
            params: { query: { q: text.value, near: position(where.value!), limit: 1 } },
            signal,
          }),
        ),
        whatIsAt(where.value!, signal),
      ])
      const best = found.features[0]
      if (!best || (best.properties.confidence ?? 0) < SURE) return null
      const [lng, lat] = best.geometry!.coordinates as number[]
      const there = { lat: lat!, lng: lng! }
      const line = await unwrap(
        api.GET('/v1/measure', { params: { query: { from: position(where.value!), to: position(there) } }, signal }),
      )
      return {
        there,
        label: best.properties.label ?? text.value,
        distanceM: line.distance_m,
        here: here?.properties.label ?? null,
      }
    },
  })
}

/** From this confidence on an address that was found is taken for the one that was meant. */
const SURE = 0.6
