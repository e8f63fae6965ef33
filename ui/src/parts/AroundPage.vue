<script setup lang="ts">
// The range card: from one standpoint, every place of the ring with its distance and bearing; as a list, as a round
// view, and which areas serve it.
import { computed, toRef } from 'vue'
import type { Feature } from '../api/client'
import { fitRing } from '../desk/acts'
import { desk, type AroundPart } from '../desk/desk'
import { OFTEN, often, standStill, standWithDevice, standpointAge } from '../desk/device'
import { complain } from '../desk/notice'
import { metres, readLength, shortPosition, towards, whereOf } from '../desk/format'
import { useAddress, useNextOut } from '../desk/questions'
import AroundList from './AroundList.vue'
import FinderPart from './FinderPart.vue'
import FirstSteps from './FirstSteps.vue'
import PartTabs from './PartTabs.vue'
import RoundPlot from './RoundPlot.vue'
import ServedPart from './ServedPart.vue'

const props = defineProps<{
  features: Feature[]
  /** How many there are in all, where more than the list holds. */
  matched: number | null
  error: Error | null
  demo: { lat: number; lng: number } | null
}>()
const emit = defineEmits<{ find: [text: string] }>()
const PARTS: { id: AroundPart; title: string }[] = [
  { id: 'list', title: 'List' },
  { id: 'round', title: 'Round' },
  { id: 'served', title: 'Served' },
]
const { data: near } = useAddress(toRef(() => desk.standpoint))
const address = computed(() =>
  near.value && near.value.properties.label !== desk.standpoint?.name ? near.value.properties : null,
)
/** On a phone the plot has the room of what the list says as well. */
const besidePlot = computed(() => (desk.around.part === 'round' ? 'max-[719px]:hidden' : ''))
const total = computed(() => props.features.length)
const { data: next } = useNextOut(computed(() => !total.value && desk.around.part !== 'served'))

const MOST_M = 2e7
const LEAST_M = 10
/** A length as it was written, in metres: a plain number is in kilometres; null for what is still being written. */
function lengthOf(text: string): number | null {
  const plain = /^\s*\d+(?:[.,]\d+)?\s*$/.test(text)
  const m = plain ? Number(text.replace(',', '.')) * 1000 : readLength(text)
  return m === null || !Number.isFinite(m) ? null : m
}
function setRing(edge: 'beyond' | 'within', text: string): void {
  const m = lengthOf(text)
  if (m === null) return
  if (edge === 'within' && m > desk.beyondM) desk.withinM = Math.max(LEAST_M, Math.min(MOST_M, Math.round(m)))
  if (edge === 'beyond' && m < desk.withinM) desk.beyondM = Math.round(m)
}
const km = (m: number) => (m < 100_000 ? (m / 1000).toFixed(2) : String(Math.round(m / 1000)))
const ringText = computed(() =>
  desk.beyondM > 0 ? `between ${metres(desk.beyondM)} and ${metres(desk.withinM)}` : `within ${metres(desk.withinM)}`,
)
const nothing = computed(() => {
  const n = next.value?.properties
  const nearest = n && `; the nearest is ${metres(n.distance_m ?? 0)} ${towards(n.bearing_deg)}: ${n.name ?? ''}`
  return `Nothing ${ringText.value}${nearest ?? ''}.`
})
/** Widens the ring to the nearest place. */
function reachNext(): void {
  const d = next.value?.properties.distance_m
  if (d == null) return
  if (d < desk.beyondM) desk.beyondM = Math.floor(d)
  else desk.withinM = Math.min(MOST_M, Math.ceil((d * 1.1) / 10) * 10)
  fitRing()
}
</script>

<template>
  <FinderPart v-if="desk.around.part === 'finder' && desk.place" />
  <section v-else class="flex min-h-fit flex-1 flex-col" aria-labelledby="around-title">
    <header class="px-4 pt-3">
      <div class="flex items-baseline gap-3">
        <h1 id="around-title" class="landscape:max-[960px]:sr-only font-serif text-xl font-bold">Around</h1>
        <PartTabs v-if="desk.standpoint" v-model="desk.around.part" of="Around" :parts="PARTS" test="around" />
      </div>
      <template v-if="desk.standpoint">
        <p class="mt-0.5 flex items-baseline gap-2" :class="besidePlot">
          <svg
            class="text-madder size-4 shrink-0 self-center"
            viewBox="0 0 16 16"
            fill="none"
            stroke="currentColor"
            stroke-width="1.5"
            aria-hidden="true"
          >
            <circle cx="8" cy="8" r="4.500" />
            <path d="M8 0v6M8 10v6M0 8h6M10 8h6" />
          </svg>
          <span class="min-w-0 flex-1 leading-tight">
            <span class="block truncate" data-test="standpoint">{{
              desk.standpoint.name ?? shortPosition(desk.standpoint)
            }}</span>
            <span v-if="address" class="caption block truncate" data-test="standpoint-address">{{
              whereOf(address)
            }}</span>
          </span>
          <button class="act" title="Show the ring on the map (h)" data-test="fit-ring" @click="fitRing">
            Show on map <span class="key">h</span>
          </button>
        </p>
        <p class="flex items-baseline gap-2 text-[15px]" :class="besidePlot">
          <button v-if="!desk.here" class="link -ml-1" data-test="follow-me" @click="standWithDevice().catch(complain)">
            Let it follow me <span class="key">Shift D</span>
          </button>
          <template v-else>
            <span class="text-madder min-w-0 flex-1 truncate" data-test="standpoint-age">{{
              standpointAge ? `follows you · ${standpointAge}` : 'follows you, once there is a position'
            }}</span>
            <select v-model="often" class="pick" aria-label="How often" data-test="often">
              <option v-for="(o, id) in OFTEN" :key="id" :value="id">{{ o.title }}</option>
            </select>
            <button class="link" data-test="stand-still" @click="standStill">Stop</button>
          </template>
        </p>
        <p v-if="desk.around.part !== 'served'" class="mt-1 mb-2 flex flex-wrap items-baseline gap-x-1.5">
          from
          <input
            class="field w-16! text-right"
            :value="km(desk.beyondM)"
            inputmode="decimal"
            aria-label="Least distance in kilometres, or with a unit"
            data-test="beyond"
            @change="setRing('beyond', ($event.target as HTMLInputElement).value)"
          />
          to
          <input
            class="field w-16! text-right"
            :value="km(desk.withinM)"
            inputmode="decimal"
            aria-label="Greatest distance in kilometres, or with a unit"
            title="Kilometres, or with a unit: 800 m, 3 mi, 2 nmi"
            data-test="within"
            @change="setRing('within', ($event.target as HTMLInputElement).value)"
          />
          km
          <span class="caption ml-auto" aria-live="polite" data-test="count"
            >{{ matched === null ? total : `${total} of ${matched}` }} {{ total === 1 ? 'place' : 'places' }}</span
          >
        </p>
      </template>
    </header>

    <FirstSteps v-if="!desk.standpoint" :demo="demo" @find="emit('find', $event)" />
    <ServedPart v-else-if="desk.around.part === 'served'" />
    <template v-else>
      <p v-if="error" class="m-4 border-l-2 border-madder pl-3">{{ error.message }}</p>
      <RoundPlot v-if="desk.around.part === 'round'" :features="features" />
      <AroundList v-if="desk.around.part !== 'round'" :features="features" />
      <div v-if="!total && !error" class="mx-4 my-2 border-l-2 border-ochre pl-3" data-test="nothing-near">
        <p>{{ nothing }}</p>
        <p class="mt-1 flex flex-wrap gap-2">
          <button v-if="next" class="act" data-test="reach-next" @click="reachNext">Show it</button>
          <button
            v-if="desk.around.kind || desk.around.where"
            class="act"
            @click="desk.around.kind = desk.around.where = ''"
          >
            All places
          </button>
        </p>
        <p class="caption mt-1">
          Pull the ring's edge on the map, or write another distance above. To keep a place, click a spot on the map.
        </p>
      </div>
    </template>
  </section>
</template>
