<script setup lang="ts">
// Residuals: how far distances are off by distance, and bearings by bearing. The axis of what is off is linear about
// nought and logarithmic beyond, so that a millimetre and a thousand kilometres are both seen.
import { computed } from 'vue'
import type { Proved } from '../desk/proof'

const props = defineProps<{ lines: Proved['lines'] }>()
const W = 360
const H = 124
const LEFT = 46
const BOTTOM = 18
const TOP = 8
const MOST = 2000

interface Mark {
  x: number
  y: number
  ok: boolean
  title: string
}
interface Tick {
  at: number
  text: string
}
interface Plot {
  id: string
  title: string
  marks: Mark[]
  xs: Tick[]
  ys: Tick[]
  zero: number
}

const some = computed(() => {
  const step = Math.max(1, Math.ceil(props.lines.length / MOST))
  return props.lines.filter((_, i) => i % step === 0)
})

/** The place of a residual between −1 and 1, of which the middle is linear. */
function scale(values: number[], finest: number): { of: (v: number) => number; ticks: number[] } {
  const most = Math.max(finest * 10, ...values.map(Math.abs))
  const decades = Math.ceil(Math.log10(most / finest))
  const of = (v: number) => {
    const a = Math.abs(v) / finest
    return (Math.sign(v) * (a < 1 ? a : 1 + Math.log10(a))) / (decades + 1)
  }
  const every = Math.max(1, Math.ceil(decades / 2))
  const ticks = [0]
  for (let d = every; d <= decades; d += every) ticks.push(finest * 10 ** d, -finest * 10 ** d)
  return { of, ticks }
}

const y = (share: number) => TOP + ((1 - share) / 2) * (H - TOP - BOTTOM)
const lengthText = (m: number) => {
  const size = Math.abs(m)
  return size >= 1000 ? `${m / 1000} km` : size >= 1 ? `${m} m` : `${m * 1000} mm`
}
const nameOf = (l: Proved['lines'][number]) => l.id || `line ${l.line}`
const signed = (text: string, v: number) => (v > 0 ? `+${text}` : text.replace('-', '−'))

const distances = computed<Plot | null>(() => {
  const rows = some.value.filter((l) => l.distance_off_m !== null)
  if (!rows.length) return null
  const s = scale(
    rows.map((l) => l.distance_off_m!),
    0.01,
  )
  const logs = rows.map((l) => Math.log10(Math.max(1, l.reference_distance_m)))
  const from = Math.floor(Math.min(...logs))
  const to = Math.max(from + 1, Math.max(...logs) + 0.1)
  const x = (log: number) => LEFT + ((log - from) / (to - from)) * (W - LEFT - 8)
  const each = Math.ceil((to - from) / 5)
  return {
    id: 'distance',
    title: 'Distance off, by distance',
    marks: rows.map((l, i) => ({
      x: x(logs[i]!),
      y: y(s.of(l.distance_off_m!)),
      ok: l.distance_ok,
      title: `${nameOf(l)}: ${l.distance_off_m!.toFixed(3)} m off ${l.reference_distance_m.toFixed(2)} m`,
    })),
    xs: Array.from({ length: Math.floor(to - from) + 1 }, (_, k) => k)
      .filter((k) => k % each === 0)
      .map((k) => ({ at: x(from + k), text: lengthText(10 ** (from + k)) })),
    ys: s.ticks.map((v) => ({ at: y(s.of(v)), text: v ? signed(lengthText(v), v) : '0' })),
    zero: y(0),
  }
})

const bearings = computed<Plot | null>(() => {
  const rows = some.value.filter((l) => l.bearing_off_deg !== null)
  if (!rows.length) return null
  const s = scale(
    rows.map((l) => l.bearing_off_deg!),
    0.01,
  )
  const x = (deg: number) => LEFT + (deg / 360) * (W - LEFT - 8)
  return {
    id: 'bearing',
    title: 'Bearing off, by bearing',
    marks: rows.map((l) => ({
      x: x(l.reference_bearing_deg!),
      y: y(s.of(l.bearing_off_deg!)),
      ok: l.bearing_ok,
      title: `${nameOf(l)}: ${l.bearing_off_deg!.toFixed(3)}° off ${l.reference_bearing_deg!.toFixed(3)}°`,
    })),
    xs: [0, 90, 180, 270, 360].map((d) => ({ at: x(d), text: ['N', 'E', 'S', 'W', 'N'][d / 90]! })),
    ys: s.ticks.map((v) => ({ at: y(s.of(v)), text: v ? signed(`${Number(v.toPrecision(2))}°`, v) : '0' })),
    zero: y(0),
  }
})
const plots = computed(() => [distances.value, bearings.value].flatMap((p) => p ?? []))
</script>

<template>
  <div class="px-4 pt-1" data-test="residuals">
    <figure v-for="p in plots" :key="p.id" :data-test="`residuals-${p.id}`">
      <figcaption class="caption">{{ p.title }}</figcaption>
      <svg :viewBox="`0 0 ${W} ${H}`" class="w-full" role="img" :aria-label="p.title">
        <g font-size="10.5" fill="var(--slate)">
          <template v-for="t in p.ys" :key="t.text">
            <path :d="`M${LEFT} ${t.at}H${W - 8}`" stroke="var(--rule)" />
            <text :x="LEFT - 4" :y="t.at + 3.5" text-anchor="end">{{ t.text }}</text>
          </template>
          <template v-for="t in p.xs" :key="`x${t.at}`">
            <path :d="`M${t.at} ${H - BOTTOM}v4`" stroke="var(--slate)" />
            <text :x="t.at" :y="H - 3" text-anchor="middle">{{ t.text }}</text>
          </template>
        </g>
        <path :d="`M${LEFT} ${p.zero}H${W - 8}`" stroke="var(--ink)" />
        <g v-for="(m, i) in p.marks" :key="i">
          <title>{{ m.title }}</title>
          <circle v-if="m.ok" :cx="m.x" :cy="m.y" r="3" fill="none" stroke="var(--verdigris)" stroke-width="1.6" />
          <path
            v-else
            :d="`M${m.x - 3.5} ${m.y - 3.5}l7 7m0 -7l-7 7`"
            stroke="var(--madder)"
            stroke-width="1.8"
            fill="none"
          />
        </g>
      </svg>
    </figure>
  </div>
</template>
