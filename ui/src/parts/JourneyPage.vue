<script setup lang="ts">
// The way to the chosen place: how far, how long, and street by street.
import { computed } from 'vue'
import type { Step } from '../api/client'
import { chart, standHere } from '../desk/acts'
import { MODES, desk, type Mode } from '../desk/desk'
import { metres, seconds, shortPosition } from '../desk/format'
import { useWay } from '../desk/questions'
import { complain } from '../desk/notice'
import { openLinks } from '../desk/onward'
import { begin } from '../desk/underway'
import { stepWords } from '../desk/words'

const emit = defineEmits<{ mark: [[number, number] | null] }>()
const { data: way, error, isFetching } = useWay()
const modes: Record<Mode, string> = { foot: 'on foot', bicycle: 'by bicycle', car: 'by car' }
const leg = computed(() => way.value?.properties.legs[0])
const steps = computed(() => leg.value?.steps ?? [])
/** An arrow bent by how far one turns. */
const angles: Record<string, number> = {
  straight: 0,
  depart: 0,
  'slight left': -45,
  left: -90,
  'sharp left': -135,
  'slight right': 45,
  right: 90,
  'sharp right': 135,
  back: 180,
}
function arrow(turn: string): string {
  const a = ((angles[turn] ?? 0) * Math.PI) / 180
  const [x, y] = [10 + 7 * Math.sin(a), 10 - 7 * Math.cos(a)]
  const head = (side: number) =>
    `M${x} ${y}l${(4.6 * Math.sin(a + side)).toFixed(2)} ${(-4.6 * Math.cos(a + side)).toFixed(2)}`
  return `M10 19V10L${x.toFixed(2)} ${y.toFixed(2)}${head(2.5)}${head(-2.5)}`
}

function mark(i: number): void {
  const next = steps.value[i + 1]
  emit('mark', next ? [steps.value[i]!.from, next.from] : null)
}

function look(s: Step): void {
  chart.value?.flyTo({ lat: s.at[1] as number, lng: s.at[0] as number, zoom: Math.max(16, chart.value.view.zoom) })
}

function turnRound(): void {
  ;[desk.standpoint, desk.destination] = [desk.destination, desk.standpoint]
}
</script>

<template>
  <section class="flex min-h-fit flex-1 flex-col" aria-labelledby="journey-title">
    <header class="px-4 pt-3 pb-2">
      <div class="flex items-baseline">
        <h1 id="journey-title" class="landscape:max-[960px]:sr-only flex-1 font-serif text-xl font-bold">Journey</h1>
        <button class="link" data-test="to-rehearsals" @click="desk.journeyPart = 'rehearsals'">
          Rehearsals <span class="key">Shift J</span>
        </button>
      </div>
      <dl class="mt-0.5 grid grid-cols-[auto_1fr_auto] items-baseline gap-x-2">
        <dt class="caption">from</dt>
        <dd class="truncate">
          {{ desk.standpoint ? (desk.standpoint.name ?? shortPosition(desk.standpoint)) : 'no standpoint yet' }}
        </dd>
        <button v-if="desk.standpoint && desk.destination" class="act row-span-2 self-center" @click="turnRound">
          Reverse <span class="key">r</span>
        </button>
        <dt class="caption col-start-1">to</dt>
        <dd class="truncate" data-test="destination">
          {{ desk.destination ? (desk.destination.name ?? shortPosition(desk.destination)) : 'nowhere yet' }}
        </dd>
      </dl>
      <div class="mt-2 flex gap-1" role="radiogroup" aria-label="How to travel">
        <button
          v-for="(m, i) in MODES"
          :key="m"
          role="radio"
          :aria-checked="desk.by === m"
          :class="desk.by === m ? 'act-main' : 'act'"
          :data-test="`by-${m}`"
          @click="desk.by = m"
        >
          {{ modes[m] }} <span v-if="i === 2" class="key">t</span>
        </button>
      </div>
    </header>
    <div v-if="!desk.standpoint" class="m-4 border-l-2 border-madder pl-3">
      <p class="font-serif text-lg">Where do you set out?</p>
      <p class="mt-1">Click a spot on the map and choose <em>stand here</em>, or</p>
      <button class="act mt-2" @click="standHere">Set out where I am</button>
    </div>
    <div v-else-if="!desk.destination" class="m-4 border-l-2 border-verdigris pl-3">
      <p class="font-serif text-lg">Where to?</p>
      <p class="mt-1">
        Click a spot on the map, or a place, and choose <em>go</em>; or write an address into the line at the top.
      </p>
    </div>
    <div v-else-if="error" class="m-4 border-l-2 border-madder pl-3" role="alert" data-test="no-way">
      <p class="font-serif text-lg">No way there.</p>
      <p class="mt-1">{{ error.message }}</p>
      <p class="caption mt-1">Try another way of travelling, or a spot nearer to a road.</p>
    </div>
    <template v-else-if="way">
      <p class="px-4 pb-2 font-serif text-2xl font-bold" :class="isFetching ? 'opacity-50' : ''" data-test="total">
        {{ metres(way.properties.distance_m) }} <span class="text-slate font-normal">·</span>
        {{ seconds(way.properties.duration_s) }}
      </p>
      <p class="flex gap-1 px-4 pb-2">
        <button class="act-main" data-test="begin" @click="begin(way).catch(complain)">
          Begin <span class="key">Shift B</span>
        </button>
        <button class="act" data-test="rehearse" @click="desk.journeyPart = 'rehearsals'">Rehearse …</button>
        <button class="act" data-test="way-open-in" @click="openLinks(desk.destination!, 'route')">
          Open in … <span class="key">Shift O</span>
        </button>
      </p>
      <p v-if="leg && Math.max(leg.from_road_m, leg.to_road_m) > 60" class="caption px-4 pb-2">
        The way begins {{ metres(leg.from_road_m) }} from where you stand and ends {{ metres(leg.to_road_m) }} from the
        goal.
      </p>
      <ol
        class="ruled border-rule min-h-24 grow basis-0 overflow-y-auto border-t"
        data-test="steps"
        @mouseleave="emit('mark', null)"
      >
        <li v-for="(s, i) in steps" :key="i">
          <button
            class="hover:bg-selected flex w-full items-center gap-2.5 px-4 py-1 text-left"
            @mouseenter="mark(i)"
            @focus="mark(i)"
            @click="look(s)"
          >
            <svg
              class="text-verdigris size-5 shrink-0"
              viewBox="0 0 20 20"
              fill="none"
              stroke="currentColor"
              stroke-width="1.800"
              stroke-linecap="round"
              stroke-linejoin="round"
              aria-hidden="true"
            >
              <path v-if="s.turn === 'arrive'" d="M10 19V2M7 2h6v5H7Z" />
              <path v-else :d="arrow(s.turn)" />
            </svg>
            <span class="min-w-0 flex-1">{{ stepWords(s, i === 0, desk.destination?.name) }}</span>
            <span v-if="s.turn !== 'arrive'" class="shrink-0 text-right">{{ metres(s.distance_m) }}</span>
          </button>
        </li>
      </ol>
    </template>
    <p v-else class="caption px-4 py-2">Looking for the way …</p>
  </section>
</template>
