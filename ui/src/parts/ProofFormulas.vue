<script setup lang="ts">
// Formulas for distance and bearing: followed step by step with the numbers in them, and copied out in eight languages
// or as cells.
import { useQuery } from '@tanstack/vue-query'
import { computed, reactive, ref, watch } from 'vue'
import { api, unwrap } from '../api/client'
import type { LatLng } from '../chart/camera'
import { copy } from '../desk/acts'
import { desk } from '../desk/desk'
import { position, shortPosition } from '../desk/format'
import { places } from '../desk/places'
import { language, useFormulas, type FormulaStep, type TestPoint } from '../desk/proof'

const props = defineProps<{ points: TestPoint[] }>()
const { data: formulas } = useFormulas()
const followed = ref('haversine')
/** A test point to follow while nothing is selected: one that lies neither due north nor due east. */
const testPoint = computed<TestPoint | null>(() => {
  if (desk.place || desk.spot) return null
  const slanting = (one: TestPoint) =>
    Math.abs(one.from[0]! - one.to[0]!) > 0.01 && Math.abs(one.from[1]! - one.to[1]!) > 0.01 && one.distance_m < 5e6
  return props.points.find(slanting) ?? props.points[0] ?? null
})
const from = computed<LatLng | null>(() =>
  testPoint.value ? { lat: testPoint.value.from[1]!, lng: testPoint.value.from[0]! } : desk.standpoint,
)
const to = computed<(LatLng & { name: string }) | null>(() => {
  const place = desk.place ? places.get(desk.place) : undefined
  if (place?.at) return { ...place.at, name: `from the standpoint to ${place.name}` }
  if (desk.spot) return { ...desk.spot, name: `from the standpoint to ${desk.spot.name ?? shortPosition(desk.spot)}` }
  const p = testPoint.value
  return p ? { lat: p.to[1]!, lng: p.to[0]!, name: `${p.id} ${p.name}` } : null
})
const { data } = useQuery({
  queryKey: computed(() => [
    'steps',
    followed.value,
    from.value && position(from.value),
    to.value && position(to.value),
  ]),
  enabled: computed(() => !!from.value && !!to.value),
  queryFn: ({ signal }) =>
    unwrap(
      api.GET('/v1/proof/steps', {
        params: {
          query: { formula: followed.value as 'haversine', from: position(from.value!), to: position(to.value!) },
        },
        signal,
      }),
    ),
})
const steps = computed<FormulaStep[]>(() => data.value?.steps ?? [])

/** What one's own code has at each step. */
const own = reactive<Record<number, string>>({})
watch([followed, from, to], () => {
  for (const k of Object.keys(own)) delete own[Number(k)]
})
const write = (v: number | null) => (v === null ? 'undefined' : Number(v.toPrecision(12)).toString())
/** Whether a step agrees with the number that was written beside it, in radians or in degrees; null for none. */
function agrees(s: FormulaStep, text: string | undefined): boolean | null {
  const v = Number(text?.replace(',', '.'))
  if (!text?.trim() || !Number.isFinite(v) || s.value === null) return null
  const decimals = (/[.,](\d+)/.exec(text)?.[1] ?? '').length
  const close = (w: number) => Math.abs(v - w) <= Math.max(0.6 * 10 ** -decimals, Math.abs(w) * 1e-9)
  return close(s.value) || (s.degrees !== null && close(s.degrees))
}
const departs = computed(() => steps.value.findIndex((s, i) => agrees(s, own[i]) === false))
</script>

<template>
  <div class="flex min-h-fit flex-1 flex-col" data-test="proof-formulas-part">
    <h2 class="head"><span class="flex-1">Step by step</span></h2>
    <p class="flex flex-wrap items-baseline gap-x-2 px-4 py-1 text-sm">
      <select v-model="followed" class="pick max-w-64! text-base" aria-label="Formula" data-test="followed">
        <option v-for="f in formulas?.follow" :key="f.id" :value="f.id">{{ f.title }}</option>
      </select>
      <span v-if="from && to" class="caption min-w-0 truncate">{{ to.name }}</span>
      <span v-else class="caption">Choose a standpoint and a place to see the numbers.</span>
    </p>
    <p v-if="departs >= 0" class="border-madder mx-4 mb-1 border-l-2 pl-3" data-test="departs">
      Yours departs at {{ steps[departs]!.symbol }}: {{ steps[departs]!.title }}.
    </p>
    <ol v-if="steps.length" class="ruled border-rule border-t" data-test="steps">
      <li
        v-for="(s, i) in steps"
        :key="s.symbol"
        class="grid grid-cols-[1fr_6rem] items-baseline gap-x-2 px-4 py-1"
        :class="departs === i ? 'bg-selected' : ''"
      >
        <span class="col-span-2 min-w-0">
          <span class="font-medium">{{ s.symbol }}</span>
          <span v-if="s.expression" class="text-slate break-words"> = {{ s.expression }}</span>
          <span class="caption"> · {{ s.title }}</span>
        </span>
        <span class="text-[15px]">
          {{ write(s.value) }} {{ s.unit }}
          <span v-if="s.degrees !== null" class="text-slate"> = {{ write(s.degrees) }}°</span>
        </span>
        <span class="flex items-baseline gap-1">
          <input
            v-model="own[i]"
            class="field py-0! text-right text-sm!"
            inputmode="decimal"
            placeholder="yours"
            :aria-label="`${s.symbol} in your code`"
            :data-test="`own-${i}`"
          />
          <span class="w-3 shrink-0" :class="agrees(s, own[i]) ? 'text-verdigris' : 'text-madder'" aria-hidden="true">{{
            agrees(s, own[i]) === null ? '' : agrees(s, own[i]) ? '✓' : '✗'
          }}</span>
        </span>
      </li>
    </ol>
    <h2 class="head">
      <span class="flex-1">To copy</span>
      <select v-model="language" class="pick font-sans text-sm not-italic" aria-label="Language" data-test="language">
        <option v-for="l in formulas?.languages" :key="l.id" :value="l.id">{{ l.title }}</option>
      </select>
    </h2>
    <article v-for="f in formulas?.formulas" :key="f.id" class="border-rule border-b px-4 py-1.5">
      <p class="flex items-baseline gap-2">
        <span class="flex-1 font-medium">{{ f.title }}</span>
        <button
          v-if="f.code[language]"
          class="act"
          :data-test="`copy-${f.id}`"
          @click="copy(f.code[language]!, f.title.toLowerCase())"
        >
          Copy
        </button>
      </p>
      <p class="caption">{{ f.method }}. Error: {{ f.stated_error }}.</p>
      <pre v-if="f.code[language]" class="bg-card border-rule mt-1 max-h-48 overflow-auto border p-1.5 text-[13px]">{{
        f.code[language]
      }}</pre>
      <p v-else class="caption mt-1">
        Not closed enough for {{ language === 'sql' ? 'one SQL statement' : 'one cell' }}: ask
        <code>POST /v1/measure</code> for many pairs at once.
      </p>
    </article>
  </div>
</template>
