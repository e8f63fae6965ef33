<script setup lang="ts">
// The round view: bearing and distance from the standpoint as a compass plot, north up or heading up, with rings of
// one's own. A heading that is not known is never shown as north.
import { computed, ref } from 'vue'
import type { Feature } from '../api/client'
import { select } from '../desk/acts'
import { roundRings } from '../desk/around'
import { desk } from '../desk/desk'
import { device, heading, startDevice } from '../desk/device'
import { bearing, metres, readLength } from '../desk/format'
import { complain } from '../desk/notice'
import { categoryById } from '../desk/places'

const props = defineProps<{ features: Feature[] }>()
const R = 150
const MOST_NAMED = 9
const pointed = ref<string | null>(null)

const rings = computed(() => {
  const own = desk.around.rings.filter((m) => m <= desk.withinM * 1.0001)
  return own.length ? own : roundRings(desk.withinM)
})
const turned = computed(() => (desk.around.up === 'heading' && heading.value !== null ? heading.value : 0))
const RAD = Math.PI / 180
const spot = (deg: number, r: number) => ({
  x: r * Math.sin((deg - turned.value) * RAD),
  y: -r * Math.cos((deg - turned.value) * RAD),
})
const radius = (m: number) => (Math.min(m, desk.withinM) / desk.withinM) * R

const marks = computed(() =>
  props.features.flatMap((f) => {
    const b = f.properties.bearing_deg
    const d = f.properties.distance_m ?? 0
    return b == null && d > 0
      ? []
      : [
          {
            id: f.id!,
            name: f.properties.name || 'without a name',
            ...spot(b ?? 0, radius(d)),
            colour: categoryById.value.get(f.properties.category ?? '')?.colour ?? '#5B6770',
            text: `${metres(d)} ${bearing(b)}`,
          },
        ]
  }),
)
/** Names beside their marks, the nearest first, where none would lie on another. */
const named = computed(() => {
  const out: ((typeof marks.value)[number] & { left: boolean; tx: number; ty: number })[] = []
  const order = [...marks.value].sort((a, b) => rank(a.id) - rank(b.id))
  for (const m of order) {
    if (out.length === MOST_NAMED) break
    const left = m.x > 60
    const at = { ...m, left, tx: m.x + (left ? -9 : 9), ty: m.y + 4 }
    const wide = Math.min(24, m.name.length) * 6.2
    const clear = out.every((o) => {
      const own = Math.min(24, o.name.length) * 6.2
      const [a0, a1] = left ? [at.tx - wide, at.tx] : [at.tx, at.tx + wide]
      const [b0, b1] = o.left ? [o.tx - own, o.tx] : [o.tx, o.tx + own]
      return Math.abs(o.ty - at.ty) > 13 || a1 < b0 || b1 < a0
    })
    if (clear || rank(m.id) === 0) out.push(at)
  }
  return out
})
const rank = (id: string) => (id === pointed.value || id === desk.place ? 0 : 1)
const short = (name: string) => (name.length > 24 ? `${name.slice(0, 23)}…` : name)
const scale = computed(() =>
  Array.from({ length: 36 }, (_, i) => {
    const deg = i * 10
    const long = deg % 30 === 0
    const [a, b] = [spot(deg, R), spot(deg, R + (long ? 9 : 5))]
    return {
      deg,
      line: `M${a.x.toFixed(1)} ${a.y.toFixed(1)}L${b.x.toFixed(1)} ${b.y.toFixed(1)}`,
      at: spot(deg, R + 19),
      text: deg % 90 === 0 ? 'NESW'[deg / 90]! : long ? String(deg).padStart(3, '0') : '',
    }
  }),
)
const ownRings = computed(() => desk.around.rings.map((m) => metres(m)).join(', '))
function setRings(text: string): void {
  const all = text
    .split(/[,;]/)
    .map((t) => (/^\s*\d+(?:\.\d+)?\s*$/.test(t) ? Number(t) * 1000 : readLength(t)))
    .filter((m): m is number => m !== null && m > 0 && m <= 2e7)
  desk.around.rings = [...new Set(all)].sort((a, b) => a - b).slice(0, 12)
}
const whole = computed(() => (heading.value === null ? null : Math.round(heading.value) % 360))
</script>

<template>
  <div class="flex flex-col px-3" data-test="round-view">
    <p class="flex flex-wrap items-baseline gap-x-3 px-1 text-sm">
      <span role="group" aria-label="What is up" class="flex gap-2">
        <button
          v-for="up in ['north', 'heading'] as const"
          :key="up"
          class="border-b-2"
          :class="desk.around.up === up ? 'border-ochre font-medium' : 'text-slate border-transparent'"
          :aria-pressed="desk.around.up === up"
          :data-test="`up-${up}`"
          @click="desk.around.up = up"
        >
          {{ up === 'north' ? 'north up' : 'heading up' }}
        </button>
      </span>
      <label class="caption ml-auto"
        >rings
        <input
          class="field text-ink w-28! py-0! text-sm!"
          :value="ownRings"
          placeholder="250 m, 1 km"
          spellcheck="false"
          data-test="rings"
          @change="setRings(($event.target as HTMLInputElement).value)"
      /></label>
    </p>
    <p v-if="desk.around.up === 'heading' && heading === null" class="border-ochre mx-1 my-1 border-l-2 pl-2 text-sm">
      <span data-test="no-heading">The heading is not known, so north stays up.</span>
      <button
        v-if="!device.on"
        class="link"
        data-test="ask-compass"
        @click="startDevice('to turn the plot with your device').catch(complain)"
      >
        Use this device's compass
      </button>
    </p>
    <svg
      viewBox="-186 -182 372 364"
      class="max-h-[46vh] w-full"
      role="group"
      aria-label="Places by bearing and distance"
    >
      <circle :r="R" fill="var(--card)" stroke="var(--ochre)" stroke-width="1.8" />
      <circle
        v-if="desk.beyondM > 0"
        :r="radius(desk.beyondM)"
        fill="var(--paper)"
        stroke="var(--ochre)"
        stroke-width="1.8"
      />
      <g fill="none" stroke="var(--ochre)" stroke-dasharray="2 4">
        <circle v-for="m in rings" :key="m" :r="radius(m)" />
      </g>
      <g stroke="var(--ochre)">
        <path v-for="s in scale" :key="s.deg" :d="s.line" :stroke-width="s.deg % 30 ? 0.9 : 1.5" />
      </g>
      <g text-anchor="middle" font-size="12" fill="var(--ink)">
        <text
          v-for="s in scale.filter((one) => one.text)"
          :key="s.deg"
          :x="s.at.x"
          :y="s.at.y + 4"
          :font-weight="s.deg % 90 ? 400 : 700"
        >
          {{ s.text }}
        </text>
      </g>
      <g text-anchor="middle" font-size="10.500" fill="var(--slate)">
        <text
          v-for="m in rings"
          :key="m"
          :x="spot(turned + 22, radius(m)).x"
          :y="spot(turned + 22, radius(m)).y + 3"
          stroke="var(--card)"
          stroke-width="3"
          paint-order="stroke"
        >
          {{ metres(m) }}
        </text>
      </g>
      <g v-if="heading !== null" :transform="`rotate(${heading - turned})`" data-test="heading-needle">
        <path d="M0 0V-142" stroke="var(--madder)" stroke-width="1.600" />
        <path d="M0 -148l-5 12h10z" fill="var(--madder)" />
      </g>
      <g fill="none" stroke="var(--madder)" stroke-width="1.900">
        <circle r="6" />
        <path d="M-11 0h8M3 0h8M0 -11v8M0 3v8" />
      </g>
      <g
        v-for="m in marks"
        :key="m.id"
        class="cursor-pointer"
        role="button"
        tabindex="0"
        :aria-label="`${m.name}: ${m.text}`"
        :data-id="m.id"
        @click="select(m.id, true)"
        @keydown.enter="select(m.id, true)"
        @pointerenter="pointed = m.id"
        @pointerleave="pointed = null"
      >
        <circle :cx="m.x" :cy="m.y" r="12" fill="transparent" />
        <path
          :d="`M${m.x - 4.5} ${m.y + 6}v-7a4.500 4.500 0 0 1 9 0v7z`"
          :fill="m.colour"
          :stroke="rank(m.id) === 0 ? 'var(--madder)' : 'var(--ink)'"
          :stroke-width="rank(m.id) === 0 ? 2.2 : 1.1"
        />
      </g>
      <g font-size="11.500" fill="var(--ink)" stroke="var(--card)" stroke-width="3" paint-order="stroke">
        <text v-for="n in named" :key="n.id" :x="n.tx" :y="n.ty" :text-anchor="n.left ? 'end' : 'start'">
          {{ short(n.name) }}
          <template v-if="rank(n.id) === 0">· {{ n.text }}</template>
        </text>
      </g>
    </svg>
    <p class="caption px-1 text-center" data-test="heading-line">
      {{
        whole === null
          ? 'no heading known'
          : `heading ${String(whole).padStart(3, '0')}°${device.simulated ? ', of the simulated device' : ''}`
      }}
      · bearings from true north
    </p>
  </div>
</template>
