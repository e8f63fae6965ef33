<script setup lang="ts">
// The places of the ring as a ruled list: needle, bearing, distance; by road beside the straight line when wanted.
import { computed, ref, watch } from 'vue'
import type { Feature } from '../api/client'
import { select } from '../desk/acts'
import { MODES, desk, type Mode } from '../desk/desk'
import { bearing, metres, seconds } from '../desk/format'
import { categories, categoryById } from '../desk/places'
import { useByRoad } from '../desk/questions'
import GlyphMark from './GlyphMark.vue'

const props = defineProps<{ features: Feature[] }>()
const list = ref<HTMLElement>()
/** How many of the nearest are asked for by road. */
const MOST_BY_ROAD = 25
const BY: Record<Mode, string> = { foot: 'on foot', bicycle: 'by bicycle', car: 'by car' }

const sorted = computed(() => {
  const all = [...props.features]
  const by = desk.around.sort
  if (by === 'name') all.sort((a, b) => (a.properties.name ?? '').localeCompare(b.properties.name ?? ''))
  if (by === 'bearing') all.sort((a, b) => (a.properties.bearing_deg ?? -1) - (b.properties.bearing_deg ?? -1))
  return all
})
const wanted = computed(() =>
  desk.around.road
    ? sorted.value.slice(0, MOST_BY_ROAD).flatMap((f) => {
        const [lng, lat] = (f.geometry?.coordinates ?? []) as number[]
        return lat === undefined ? [] : [{ id: f.id!, at: { lat, lng: lng! } }]
      })
    : [],
)
const byRoad = useByRoad(wanted)

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
  <div class="flex min-h-0 flex-1 flex-col">
    <p class="flex flex-wrap items-baseline gap-x-2 gap-y-0.5 px-4 pb-1 text-sm">
      <select v-model="desk.around.kind" class="pick max-w-32!" aria-label="Category" data-test="near-kind">
        <option value="">all kinds</option>
        <option v-for="c in categories" :key="c.id" :value="c.id">{{ c.name }}</option>
      </select>
      <input
        v-model="desk.around.where"
        class="field w-34! py-0! text-sm!"
        placeholder="condition:sound"
        spellcheck="false"
        aria-label="An attribute and its value, name:value"
        data-test="near-where"
      />
      <select v-model="desk.around.sort" class="pick" aria-label="Order" data-test="near-sort">
        <option value="distance">by distance</option>
        <option value="bearing">by bearing</option>
        <option value="name">by name</option>
      </select>
      <label class="whitespace-nowrap"
        ><input v-model="desk.around.road" type="checkbox" class="accent-ochre" data-test="by-road" /> by road</label
      >
      <select v-if="desk.around.road" v-model="desk.by" class="pick" aria-label="How one goes">
        <option v-for="m in MODES" :key="m" :value="m">{{ BY[m] }}</option>
      </select>
    </p>
    <ol
      v-if="features.length"
      ref="list"
      class="ruled border-rule min-h-24 grow basis-0 overflow-y-auto border-t"
      data-test="nearby"
    >
      <li v-for="(f, i) in sorted" :key="f.id">
        <button
          class="hover:bg-selected flex w-full items-center gap-2 px-4 py-1 text-left outline-offset-[-2px]"
          :class="desk.place === f.id ? 'bg-selected font-medium' : ''"
          :aria-current="desk.place === f.id"
          :data-id="f.id"
          @click="select(f.id!, true)"
          @keydown="onKey($event, i)"
        >
          <GlyphMark :category="categoryById.get(f.properties.category ?? '')" />
          <span class="min-w-0 flex-1">
            <span class="block truncate">{{ f.properties.name || 'without a name' }}</span>
            <span v-if="f.id! in byRoad" class="caption block truncate leading-tight" data-test="road-line">{{
              byRoad[f.id!]
                ? `${metres(byRoad[f.id!]!.distanceM)} by road · ${seconds(byRoad[f.id!]!.durationS)}`
                : 'no way there by road'
            }}</span>
          </span>
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
  </div>
</template>
