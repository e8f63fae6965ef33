// The bench Proof: test points round the standpoint, and somebody's own numbers held against the reference.

import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { refDebounced, useLocalStorage, useSessionStorage } from '@vueuse/core'
import { v7 as uuidv7 } from 'uuid'
import { computed, shallowRef, watch } from 'vue'
import { api, unwrap, type Feature } from '../api/client'
import type { paths } from '../api/schema'
import type { TestMark } from '../layers/testpoints'
import { desk } from './desk'
import { position, readLength } from './format'
import { saveCollection } from './kinds'
import { changeMany, collections } from './places'

type PointsAnswer = Extract<
  paths['/v1/proof/points']['get']['responses']['200']['content'],
  { 'application/json': unknown }
>['application/json']
export type TestPoint = PointsAnswer['points'][number]
export type Proved = paths['/v1/proof']['post']['responses']['200']['content']['application/json']
export type Formulas = paths['/v1/proof/formulas']['get']['responses']['200']['content']['application/json']
export type FormulaStep =
  paths['/v1/proof/steps']['get']['responses']['200']['content']['application/json']['steps'][number]

/** What test points are asked for, as it is written. */
export const fan = useLocalStorage('viandante.proof', {
  bearings: 'N, E, S, W',
  distances: '100 m, 1 km, 10 km, 100 km',
  edges: true,
})
/** What somebody's own code printed. */
export const printed = useSessionStorage<string>('viandante.printed', '')
export const unit = useSessionStorage('viandante.printed-unit', 'm')
export const UNITS = ['m', 'km', 'mi', 'nmi', 'ft', 'yd']
/** The roles that somebody chose for the columns; none while they are guessed. */
export const columns = shallowRef<string[]>([])
export const language = useLocalStorage('viandante.formulas', 'javascript')

const POINT = /^(?:[NESW]|[NS][EW]|[NS][NS][EW]|[EW][NS][EW]|[NESW]b[NESW]|[NS][EW]b[NESW])$/i
const ANGLE = /^-?\d+(?:\.\d+)?\s*(?:°|deg|rad|gon|mil)?$/
const parts = (text: string) =>
  text
    .split(',')
    .map((t) => t.trim())
    .filter((t) => t)
/** The parts of a list that cannot be read yet. */
export const unreadBearings = computed(() => parts(fan.value.bearings).filter((t) => !POINT.test(t) && !ANGLE.test(t)))
export const unreadDistances = computed(() =>
  parts(fan.value.distances).filter((t) => {
    const m = /^\d+(?:\.\d+)?$/.test(t) ? Number(t) : readLength(t)
    return !m || m > 2.0003e7
  }),
)

const query = computed(() => {
  const without = (text: string, unread: string[]) => parts(text).filter((t) => !unread.includes(t))
  return {
    at: desk.standpoint ? position(desk.standpoint) : '',
    bearings: without(fan.value.bearings, unreadBearings.value).join(','),
    distances: without(fan.value.distances, unreadDistances.value).join(',').replaceAll(' ', ''),
    edges: (fan.value.edges ? 'true' : 'false') as 'true' | 'false',
  }
})
const settledQuery = refDebounced(query, 150)
/** Where the points are to be had in a format. */
export const pointsPath = (format: string): string =>
  `/v1/proof/points?${new URLSearchParams({ ...query.value, format }).toString()}`

export function useTestPoints() {
  return useQuery({
    queryKey: computed(() => ['proof-points', settledQuery.value]),
    enabled: computed(
      () =>
        desk.bench === 'proof' &&
        !!settledQuery.value.at &&
        !!settledQuery.value.bearings &&
        !!settledQuery.value.distances,
    ),
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) =>
      (await unwrap(api.GET('/v1/proof/points', { params: { query: settledQuery.value }, signal }))) as PointsAnswer,
  })
}

export function useProved(points: () => TestPoint[]) {
  const text = refDebounced(
    computed(() => printed.value ?? ''),
    300,
  )
  return useQuery({
    queryKey: computed(() => ['proved', text.value, unit.value, columns.value, points().map((p) => p.to)]),
    enabled: computed(() => desk.bench === 'proof' && !!text.value.trim()),
    placeholderData: keepPreviousData,
    gcTime: 30_000,
    queryFn: ({ signal }) =>
      unwrap(
        api.POST('/v1/proof', {
          body: {
            text: text.value,
            unit: unit.value as 'm',
            from: desk.standpoint ? [desk.standpoint.lng, desk.standpoint.lat] : undefined,
            points: points().map(({ id, name, from, to }) => ({ id, name, from, to })),
            columns: columns.value.length ? (columns.value as Proved['columns'] as 'id'[]) : undefined,
          },
          signal,
        }),
      ),
  })
}
// What was chosen for the columns of one text is nothing to another.
watch(
  () => printed.value.split('\n', 1)[0],
  () => (columns.value = []),
)

export function useFormulas() {
  return useQuery({
    queryKey: ['formulas'],
    staleTime: Infinity,
    queryFn: () => unwrap(api.GET('/v1/proof/formulas')),
  })
}

/** The test points on the map, and which of them are right. */
export const testMarks = shallowRef<TestMark[]>([])
export function markPoints(points: TestPoint[], proved: Proved | null): void {
  const right = new Map(proved?.lines.map((l) => [l.id, l.distance_ok && l.bearing_ok]))
  const at = ([lng, lat]: number[]) => ({ lat: lat!, lng: lng! })
  testMarks.value = points.map((p) => ({ from: at(p.from), to: at(p.to), right: right.get(p.id) ?? null }))
}

/** The test points as a program prints them that takes miles for kilometres and swaps the arguments of atan2. */
export const exampleOf = (points: TestPoint[]): string =>
  points
    .map((p) => {
      const turned = p.bearing_deg === null ? 'NaN' : ((450 - p.bearing_deg) % 360).toFixed(3)
      return `${p.id}  ${(p.distance_m / 1.609344).toFixed(2)}  ${turned}`
    })
    .join('\n')

const KEPT = 'proof-points'
/** Keeps test points as places, in a collection of their own. */
export async function keepPoints(points: TestPoint[]): Promise<number> {
  if (!collections.value.some((c) => c.id === KEPT)) {
    await saveCollection({ id: KEPT, title: 'Test points', description: '', attributes: [] })
  }
  return changeMany(
    `Saved ${points.length} test points`,
    points.map((p) => {
      const id = uuidv7()
      return {
        collection: KEPT,
        id,
        before: null,
        after: {
          type: 'Feature',
          id,
          geometry: { type: 'Point', coordinates: p.to },
          properties: { name: `${p.id} ${p.name}` },
        } as Feature,
      }
    }),
  )
}
