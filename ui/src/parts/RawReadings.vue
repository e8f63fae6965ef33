<script setup lang="ts">
// What the device reports, as it comes: for whoever wants to know why something looks wrong.
import { computed } from 'vue'
import { ageMs, device, heading, receiver, tracking } from '../desk/device'
import { bearing } from '../desk/format'
import { rehearsing } from '../desk/rehearsing'
import { distanceM } from '../chart/geodesic'

const emit = defineEmits<{ close: [] }>()
const number = (v: number | null | undefined, digits: number, unit: string) =>
  v === null || v === undefined || !Number.isFinite(v) ? '—' : `${v.toFixed(digits)} ${unit}`
const rows = computed<[string, string][]>(() => {
  const f = device.raw
  const rows: [string, string][] = [
    ['state', tracking.value],
    ['latitude', number(f?.at.lat, 7, '°')],
    ['longitude', number(f?.at.lng, 7, '°')],
    ['accuracy, 95 %', number(f?.accuracyM, 1, 'm')],
    ['altitude', number(f?.altitudeM, 1, 'm')],
    ['speed', number(f?.speedMps, 2, 'm/s')],
    ['course', number(f?.headingDeg, 1, '°')],
    ['compass', number(device.pointing?.headingDeg, 1, '°')],
    ['compass, off by', number(device.pointing?.accuracyDeg, 0, '°')],
    ['needle', number(device.needleDeg, 1, '°')],
    ['needle, trust', device.distrust ?? (device.needleDeg === null ? '—' : 'good')],
    ['heading shown', bearing(heading.value)],
    ['measured', f ? new Date(f.timeMs).toISOString().slice(11, 23) : '—'],
    ['age', number(ageMs.value === null ? null : ageMs.value / 1000, 1, 's')],
    ['clock behind', number(device.clockBehindMs / 1000, 0, 's')],
    ['taken · refused', `${device.taken} · ${device.refusals}`],
    ['last refused', device.refused ?? '—'],
  ]
  if (rehearsing.truth && f) rows.push(['off the truth', number(distanceM(rehearsing.truth, f.at), 1, 'm')])
  if (rehearsing.truth?.astray) rows.push(['', 'on a wrong road'])
  return rows
})
</script>

<template>
  <section
    class="border-ink bg-paper/95 absolute bottom-2 left-2 z-20 max-h-[60%] overflow-y-auto border px-3 py-2 text-sm max-sm:w-[46vw] max-sm:px-1.5 leading-snug"
    aria-label="Readings of the device"
    data-test="raw-readings"
  >
    <h2 class="flex items-baseline gap-4 font-serif italic">
      <span class="flex-1">{{ device.simulated ? 'Simulated readings' : 'Readings' }}</span>
      <button class="link" data-test="close-readings" @click="emit('close')">Close <span class="key">i</span></button>
    </h2>
    <label v-if="!device.simulated" class="flex items-baseline gap-2">
      receiver
      <select v-model="receiver" class="pick max-w-none! flex-1" data-test="receiver">
        <option value="best">best position</option>
        <option value="rough">rough, saves the battery</option>
      </select>
    </label>
    <dl class="mt-1 grid grid-cols-[auto_auto] gap-x-4">
      <template v-for="[name, value] in rows" :key="name">
        <dt class="text-slate">{{ name }}</dt>
        <dd class="text-right" :data-reading="name">{{ value }}</dd>
      </template>
    </dl>
  </section>
</template>
