<script setup lang="ts">
// The range card: from one standpoint, every place of the ring with its distance and bearing.
import { computed, ref, toRef, watch } from 'vue'
import type { Feature } from '../api/client'
import { fitRing, select } from '../desk/acts'
import { desk } from '../desk/desk'
import { OFTEN, often, standStill, standWithDevice, standpointAge } from '../desk/device'
import { complain } from '../desk/notice'
import { bearing, metres, shortPosition, whereOf } from '../desk/format'
import { categoryById } from '../desk/places'
import { useAddress } from '../desk/questions'
import FirstSteps from './FirstSteps.vue'
import GlyphMark from './GlyphMark.vue'

const props = defineProps<{
  features: Feature[]
  truncated: boolean
  error: Error | null
  demo: { lat: number; lng: number } | null
}>()
const emit = defineEmits<{ find: [text: string] }>()
const list = ref<HTMLElement>()
const { data: near } = useAddress(toRef(() => desk.standpoint))
const address = computed(() =>
  near.value && near.value.properties.label !== desk.standpoint?.name ? near.value.properties : null,
)
const total = computed(() => props.features.length)

function setRing(edge: 'beyond' | 'within', text: string): void {
  const v = Number(text.replace(',', '.'))
  if (!Number.isFinite(v) || v < 0) return
  if (edge === 'within' && v * 1000 > desk.beyondM) desk.withinM = Math.min(2e7, Math.round(v * 1000))
  if (edge === 'beyond' && v * 1000 < desk.withinM) desk.beyondM = Math.round(v * 1000)
}

function onKey(e: KeyboardEvent, i: number): void {
  const step = { ArrowDown: 1, ArrowUp: -1 }[e.key]
  if (step) {
    e.preventDefault()
    ;(list.value?.querySelectorAll('button')[i + step] as HTMLElement | undefined)?.focus()
  }
}

watch(
  () => desk.place,
  (id) => id && list.value?.querySelector(`[data-id="${id}"]`)?.scrollIntoView({ block: 'nearest' }),
)
</script>

<template>
  <section class="flex min-h-fit flex-1 flex-col" aria-labelledby="around-title">
    <header class="px-4 pt-3">
      <h1 id="around-title" class="landscape:max-[960px]:sr-only font-serif text-xl font-bold">Around</h1>
      <template v-if="desk.standpoint">
        <p class="mt-0.5 flex items-baseline gap-2">
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
        <p class="flex items-baseline gap-2 text-[15px]">
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
        <p class="mt-1 mb-2 flex flex-wrap items-baseline gap-x-1.5">
          from
          <input
            class="field w-16! text-right"
            :value="(desk.beyondM / 1000).toFixed(2)"
            inputmode="decimal"
            aria-label="Least distance in kilometres"
            data-test="beyond"
            @change="setRing('beyond', ($event.target as HTMLInputElement).value)"
          />
          to
          <input
            class="field w-16! text-right"
            :value="(desk.withinM / 1000).toFixed(2)"
            inputmode="decimal"
            aria-label="Greatest distance in kilometres"
            data-test="within"
            @change="setRing('within', ($event.target as HTMLInputElement).value)"
          />
          km
          <span class="caption ml-auto" aria-live="polite" data-test="count"
            >{{ total }}{{ truncated ? ' and more' : '' }} {{ total === 1 ? 'place' : 'places' }}</span
          >
        </p>
      </template>
    </header>

    <FirstSteps v-if="!desk.standpoint" :demo="demo" @find="emit('find', $event)" />
    <p v-else-if="error" class="m-4 border-l-2 border-madder pl-3">{{ error.message }}</p>
    <div v-else-if="!total" class="m-4 border-l-2 border-ochre pl-3">
      <p>Nothing lies between {{ metres(desk.beyondM) }} and {{ metres(desk.withinM) }} from here.</p>
      <p class="caption mt-1">
        Pull the ring's edge on the map, or write another distance above. To keep a place, click a spot on the map.
      </p>
    </div>
    <ol v-else ref="list" class="ruled border-rule min-h-24 grow basis-0 overflow-y-auto border-t" data-test="nearby">
      <li v-for="(f, i) in features" :key="f.id">
        <button
          class="hover:bg-selected flex w-full items-center gap-2 px-4 py-1 text-left outline-offset-[-2px]"
          :class="desk.place === f.id ? 'bg-selected font-medium' : ''"
          :aria-current="desk.place === f.id"
          :data-id="f.id"
          @click="select(f.id!, true)"
          @keydown="onKey($event, i)"
        >
          <GlyphMark :category="categoryById.get(f.properties.category ?? '')" />
          <span class="min-w-0 flex-1 truncate">{{ f.properties.name || 'without a name' }}</span>
          <svg
            v-if="f.properties.bearing_deg != null"
            class="text-madder size-4 shrink-0 landscape:max-[960px]:hidden"
            viewBox="0 0 16 16"
            aria-hidden="true"
            :style="{ transform: `rotate(${f.properties.bearing_deg}deg)` }"
          >
            <path
              d="M8 1v14M8 1 4.800 6M8 1l3.200 5"
              fill="none"
              stroke="currentColor"
              stroke-width="1.500"
              stroke-linecap="round"
            />
          </svg>
          <span class="w-14 shrink-0 text-right text-slate">{{ bearing(f.properties.bearing_deg) }}</span>
          <span class="w-[4.3rem] shrink-0 text-right font-medium">{{ metres(f.properties.distance_m ?? 0) }}</span>
        </button>
      </li>
    </ol>
  </section>
</template>
