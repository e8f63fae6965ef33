<script setup lang="ts">
// The finder for one place, for a phone held in the hand: how far, how many degrees to the left or right, a big needle.
// Without a heading there is no needle: only what is known is shown.
import { useEventListener } from '@vueuse/core'
import { computed } from 'vue'
import { turnBetween } from '../desk/around'
import { desk } from '../desk/desk'
import { device, heading, standpointAge, startDevice } from '../desk/device'
import { bearing, metres, towards } from '../desk/format'
import { complain } from '../desk/notice'
import { categoryById, places } from '../desk/places'
import { useMeasure } from '../desk/questions'
import GlyphMark from './GlyphMark.vue'

const place = computed(() => (desk.place ? places.get(desk.place) : undefined))
const from = computed(() => (device.fix && device.on ? device.fix.at : desk.standpoint))
const own = computed(() => !!device.fix && device.on)
const { data: line } = useMeasure(
  from,
  computed(() => place.value?.at ?? null),
)
const turn = computed(() =>
  heading.value === null || line.value?.initial_bearing_deg == null
    ? null
    : turnBetween(heading.value, line.value.initial_bearing_deg),
)
const AHEAD = 4
const say = computed(() => {
  if (!line.value) return ''
  if (line.value.initial_bearing_deg == null) return 'You are there.'
  if (turn.value === null) return `towards ${bearing(line.value.initial_bearing_deg)}`
  const t = Math.round(Math.abs(turn.value))
  return t <= AHEAD ? 'straight ahead' : t > 175 ? 'behind you' : `${t}° to the ${turn.value > 0 ? 'right' : 'left'}`
})
const source = computed(() => {
  if (!own.value) return 'from the standpoint'
  const age = standpointAge.value && desk.here ? `, ${standpointAge.value}` : ''
  return `from your position, known to ${metres(device.fix!.accuracyM)}${age}`
})
/** Near enough that the accuracy of the position is all of the distance. */
const there = computed(() => own.value && !!line.value && line.value.distance_m <= Math.max(5, device.fix!.accuracyM))
function close(): void {
  desk.around.part = 'list'
}
useEventListener(window, 'keydown', (e) => {
  if (e.key === 'Escape') {
    e.stopImmediatePropagation()
    close()
  }
})
</script>

<template>
  <section class="finder bg-paper flex flex-1 flex-col" aria-labelledby="finder-title" data-test="finder">
    <header class="border-rule flex items-center gap-2 border-b px-4 py-2">
      <GlyphMark :category="categoryById.get(place?.category ?? '')" />
      <h1 id="finder-title" class="min-w-0 flex-1 truncate font-serif text-lg font-bold">
        {{ place?.name ?? 'The place' }}
      </h1>
      <button class="act" data-test="close-finder" @click="close">Close</button>
    </header>
    <p v-if="!from" class="border-ochre m-4 border-l-2 pl-3">
      Neither a standpoint nor your device's position is known yet.
    </p>
    <template v-else>
      <div class="flex min-h-0 flex-1 items-center justify-center p-3">
        <svg viewBox="-150 -150 300 300" class="max-h-full w-full max-w-96" role="img" :aria-label="say">
          <circle r="140" fill="var(--card)" stroke="var(--ink)" stroke-width="1.5" />
          <g v-if="heading !== null" :transform="`rotate(${-heading})`" data-test="finder-dial">
            <path
              v-for="i in 36"
              :key="i"
              :d="`M0 -140V${i % 9 === 0 ? -122 : i % 3 === 0 ? -128 : -133}`"
              :transform="`rotate(${i * 10})`"
              stroke="var(--ochre)"
              :stroke-width="i % 3 === 0 ? 1.8 : 1"
            />
            <g v-for="(p, i) in ['N', 'E', 'S', 'W']" :key="p" :transform="`rotate(${i * 90})`">
              <text y="-106" text-anchor="middle" font-size="17" font-weight="700" fill="var(--ink)">{{ p }}</text>
            </g>
          </g>
          <path v-if="heading !== null" d="M0 -150v14" stroke="var(--madder)" stroke-width="4" />
          <g v-if="turn !== null" :transform="`rotate(${turn})`" data-test="finder-needle">
            <path d="M0 -98L34 62L0 40L-34 62Z" fill="var(--verdigris)" stroke="var(--ink)" stroke-width="2" />
            <path d="M0 -80V34" stroke="var(--paper)" stroke-width="2.500" />
          </g>
          <g v-else text-anchor="middle" fill="var(--ink)">
            <text y="-8" font-size="20" font-weight="700">
              {{ line?.initial_bearing_deg == null ? 'here' : towards(line.initial_bearing_deg) }}
            </text>
            <text y="20" font-size="14" fill="var(--slate)">no heading known</text>
          </g>
        </svg>
      </div>
      <p class="px-4 text-center font-serif text-5xl font-bold" data-test="finder-distance">
        {{ line ? metres(line.distance_m) : '…' }}
      </p>
      <p class="px-4 pb-1 text-center text-xl" aria-live="polite" data-test="finder-turn">
        {{ there ? 'You are there, as far as your position is known.' : say }}
      </p>
      <p class="caption px-4 text-center" data-test="finder-source">
        {{ line ? bearing(line.initial_bearing_deg) : '' }} from true north · {{ source
        }}{{ device.simulated ? ' · simulated device' : '' }}
      </p>
      <p class="flex justify-center gap-2 p-3">
        <button
          v-if="!device.on"
          class="act-main"
          data-test="finder-device"
          @click="startDevice('to lead you to the place').catch(complain)"
        >
          Use this device's position and compass
        </button>
        <span v-else-if="heading === null" class="caption"
          >Walk some steps, or turn the device, so that it knows where it points.</span
        >
      </p>
    </template>
  </section>
</template>

<style scoped>
@media (max-width: 719px), (max-height: 519px) {
  .finder {
    position: fixed;
    inset: 0;
    z-index: 40;
  }
}
</style>
