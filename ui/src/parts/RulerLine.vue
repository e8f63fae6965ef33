<script lang="ts">
import { declareKeys } from '../desk/keys'

const keys = declareKeys('On the map', [
  { as: `' · "`, what: 'copy the position · its notation', on: { "'": 'copy', '"': 'notation' } },
  { as: ';', what: 'metres, or feet and miles', on: { ';': 'units' } },
  { as: '`', what: 'north up', on: { '`': 'north' } },
])
</script>

<script setup lang="ts">
// The ruler along the foot: the scale bar is pulled to zoom, the zoom is typed, north is put up again, and the position
// under the pointer is read off it in the notation that one likes.
import { useEventListener, useLocalStorage } from '@vueuse/core'
import { computed, ref } from 'vue'
import type { LatLng } from '../chart/camera'
import { chart, copy } from '../desk/acts'
import { desk } from '../desk/desk'
import { NOTATIONS, chosenNotation, imperial, metres, readLength } from '../desk/format'
import { groundStyles, toggleLettering } from '../desk/palette'

const props = defineProps<{ pointer: LatLng | null }>()

const perPixel = computed(() => (desk.view && chart.value ? chart.value.camera.metresPerPixel : 0))
const units = useLocalStorage<'metric' | 'imperial'>('viandante.units', 'metric')
const notation = chosenNotation
const written = computed(() => NOTATIONS[notation.value] ?? NOTATIONS.decimal!)

/** A round length of 70 to 175 pixels, in metres or in feet and miles. */
const bar = computed(() => {
  if (!perPixel.value) return null
  const foot = 0.3048
  const unit = units.value === 'metric' ? 1 : perPixel.value * 70 < 1000 * foot ? foot : 1609.344
  const least = (perPixel.value * 70) / unit
  const base = 10 ** Math.floor(Math.log10(least))
  const m = unit * [1, 2, 2.5, 5, 10].map((f) => f * base).find((v) => v >= least)!
  return { m, width: m / perPixel.value, text: units.value === 'metric' ? metres(m) : imperial(m) }
})

function typeZoom(e: Event): void {
  const field = e.target as HTMLInputElement
  const zoom = Number(field.value.replace(',', '.'))
  const span = readLength(field.value)
  if (span && chart.value) chart.value.fitSpan(span)
  else if (field.value.trim() && Number.isFinite(zoom) && chart.value) chart.value.settle(zoom - chart.value.view.zoom)
  field.value = (desk.view?.zoom ?? 0).toFixed(2)
}

useEventListener(window, 'keydown', (e) => {
  if ((e.target as HTMLElement).matches('input, textarea, select')) return
  const all = Object.keys(NOTATIONS)
  const at = read.value
  keys.press(e, {
    copy:
      at &&
      (() =>
        copy(written.value.copy(at), props.pointer ? 'the position under the pointer' : 'the position in the middle')),
    notation: () => (notation.value = all[(all.indexOf(notation.value) + 1) % all.length]!),
    units: () => (units.value = units.value === 'metric' ? 'imperial' : 'metric'),
    north: () => chart.value?.turnTo(0),
  })
})
const pulling = ref<{ x: number; width: number; zoom: number } | null>(null)

function down(e: PointerEvent): void {
  if (!bar.value || !desk.view) return
  ;(e.currentTarget as HTMLElement).setPointerCapture(e.pointerId)
  pulling.value = { x: e.clientX, width: bar.value.width, zoom: desk.view.zoom }
}
function move(e: PointerEvent): void {
  const p = pulling.value
  if (!p || !chart.value) return
  const width = Math.max(12, p.width + e.clientX - p.x)
  chart.value.zoomAt(p.zoom + Math.log2(width / p.width) * 1.6 - chart.value.view.zoom)
}
function up(): void {
  if (pulling.value) chart.value?.settle(0)
  pulling.value = null
}
function key(e: KeyboardEvent): void {
  const by = { ArrowRight: 0.5, ArrowUp: 0.5, ArrowLeft: -0.5, ArrowDown: -0.5 }[e.key]
  if (by) {
    e.preventDefault()
    chart.value?.settle(by)
  }
}
const read = computed(() => props.pointer ?? (desk.view && { lat: desk.view.lat, lng: desk.view.lng }))
</script>

<template>
  <div
    class="bg-paper border-ink flex h-9 items-center gap-4 overflow-hidden border-t px-3 text-sm max-sm:gap-2 max-sm:px-2"
  >
    <div
      v-if="bar"
      class="flex h-full cursor-ew-resize touch-none items-center gap-2 select-none"
      role="slider"
      tabindex="0"
      aria-label="Scale: pull to zoom"
      :aria-valuenow="Number(desk.view?.zoom.toFixed(2))"
      aria-valuemin="1"
      aria-valuemax="19.75"
      :aria-valuetext="`${bar.text}, zoom ${desk.view?.zoom.toFixed(2)}`"
      title="Pull to zoom"
      data-test="ruler"
      @pointerdown="down"
      @pointermove="move"
      @pointerup="up"
      @pointercancel="up"
      @keydown="key"
    >
      <svg :width="bar.width + 2" height="18" aria-hidden="true" class="overflow-visible">
        <rect x="1" y="7" :width="bar.width" height="6" fill="var(--card)" stroke="var(--ink)" />
        <rect
          v-for="i in [0, 2]"
          :key="i"
          :x="1 + (bar.width / 4) * i"
          y="7"
          :width="bar.width / 4"
          height="6"
          fill="var(--ink)"
        />
        <path
          v-for="i in [0, 1, 2, 3, 4]"
          :key="`t${i}`"
          :d="`M${1 + (bar.width / 4) * i} 7V${i % 4 ? 4 : 1}`"
          stroke="var(--ink)"
        />
      </svg>
      <span class="w-14 font-medium whitespace-nowrap max-sm:w-auto" data-test="ruler-length">{{ bar.text }}</span>
    </div>
    <label class="caption hidden items-center gap-1 sm:flex"
      >zoom
      <input
        class="border-ink/50 text-ink w-12 border-b bg-transparent"
        inputmode="decimal"
        :value="desk.view?.zoom.toFixed(2)"
        title="Type a zoom, 1 to 19.75, or how much to show across, such as 5 km"
        data-test="zoom"
        @change="typeZoom"
      />
    </label>
    <button
      v-if="desk.view?.rotation"
      class="flex items-center gap-1 whitespace-nowrap"
      title="North up (`)"
      data-test="north"
      @click="chart?.turnTo(0)"
    >
      <svg width="16" height="22" viewBox="-8 -11 16 22" aria-hidden="true">
        <g :transform="`rotate(${-desk.view.rotation})`">
          <path d="M0 -10L3.2 2H-3.2Z" fill="var(--ink)" />
          <path d="M0 10L3.2 2H-3.2Z" fill="none" stroke="var(--ink)" />
        </g>
      </svg>
      <span class="caption max-sm:sr-only">north up</span>
    </button>
    <label class="flex items-center gap-1.5 whitespace-nowrap max-md:hidden">
      <span class="caption">ground</span>
      <select
        v-model="desk.ground"
        class="border-ink/50 bg-paper cursor-pointer border-b py-0.5"
        title="How the ground is drawn (y)"
        data-test="ground"
      >
        <option v-for="s in groundStyles" :key="s.name" :value="s.name">{{ s.title }}</option>
      </select>
    </label>
    <button
      class="border-ink/50 px-1 font-serif leading-none max-md:hidden"
      :class="desk.lettering === 'large' ? 'border-b-2 font-bold' : 'border-b'"
      :aria-pressed="desk.lettering === 'large'"
      title="Large lettering (b)"
      data-test="letters"
      @click="toggleLettering"
    >
      <span class="text-xs">A</span><span class="text-lg">A</span>
    </button>
    <button
      class="border-ink/50 border-b px-1 whitespace-nowrap"
      :class="desk.layers ? 'font-bold' : ''"
      :aria-pressed="desk.layers"
      title="Views and layers (v)"
      data-test="layers"
      @click="desk.layers = !desk.layers"
    >
      Layers
    </button>
    <span v-if="read" class="ml-auto flex items-baseline gap-2 whitespace-nowrap">
      <span class="caption hidden sm:inline">{{ pointer ? 'pointer' : 'middle' }}</span>
      <button
        class="tabular-nums"
        title="Copy (')"
        data-test="pointer"
        @click="copy(written.copy(read), 'the position in the middle')"
      >
        {{ written.read(read) }}
      </button>
      <select
        v-model="notation"
        class="caption border-ink/50 bg-paper cursor-pointer border-b max-md:hidden"
        title='How positions are written (")'
        aria-label="How positions are written"
        data-test="notation"
      >
        <option v-for="(n, name) in NOTATIONS" :key="name" :value="name">{{ n.title }}</option>
      </select>
    </span>
  </div>
</template>
