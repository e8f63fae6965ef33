<script setup lang="ts">
// The ruler along the foot: the scale bar is pulled to zoom, and the position under the pointer is read off it.
import { computed, ref } from 'vue'
import type { LatLng } from '../chart/camera'
import { chart } from '../desk/acts'
import { desk } from '../desk/desk'
import { metres, shortPosition } from '../desk/format'
import { groundStyles, toggleLettering } from '../desk/palette'

const props = defineProps<{ pointer: LatLng | null }>()

const perPixel = computed(() => (desk.view && chart.value ? chart.value.camera.metresPerPixel : 0))
/** A round length of 70 to 175 pixels. */
const bar = computed(() => {
  if (!perPixel.value) return null
  const least = perPixel.value * 70
  const base = 10 ** Math.floor(Math.log10(least))
  const m = [1, 2, 2.5, 5, 10].map((f) => f * base).find((v) => v >= least)!
  return { m, width: m / perPixel.value }
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
  <div class="bg-paper border-ink flex h-9 items-center gap-4 overflow-hidden border-t px-3 text-sm">
    <div
      v-if="bar"
      class="flex h-full cursor-ew-resize touch-none items-center gap-2 select-none"
      role="slider"
      tabindex="0"
      aria-label="Scale: pull to zoom"
      :aria-valuenow="Number(desk.view?.zoom.toFixed(2))"
      aria-valuemin="1"
      aria-valuemax="19.75"
      :aria-valuetext="`${metres(bar.m)}, zoom ${desk.view?.zoom.toFixed(2)}`"
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
        <rect v-for="i in [0, 2]" :key="i" :x="1 + (bar.width / 4) * i" y="7" :width="bar.width / 4" height="6" fill="var(--ink)" />
        <path v-for="i in [0, 1, 2, 3, 4]" :key="`t${i}`" :d="`M${1 + (bar.width / 4) * i} 7V${i % 4 ? 4 : 1}`" stroke="var(--ink)" />
      </svg>
      <span class="w-14 font-medium">{{ metres(bar.m) }}</span>
    </div>
    <span class="caption hidden sm:inline">zoom {{ desk.view?.zoom.toFixed(2) }}</span>
    <label class="flex items-center gap-1.5 whitespace-nowrap">
      <span class="caption max-sm:sr-only">ground</span>
      <select v-model="desk.ground" class="border-ink/50 bg-paper cursor-pointer border-b py-0.5 max-sm:w-20" title="How the ground is drawn (y)" data-test="ground">
        <option v-for="s in groundStyles" :key="s.name" :value="s.name">{{ s.title }}</option>
      </select>
    </label>
    <button
      class="border-ink/50 px-1 font-serif leading-none max-sm:hidden"
      :class="desk.lettering === 'large' ? 'border-b-2 font-bold' : 'border-b'"
      :aria-pressed="desk.lettering === 'large'"
      title="Large lettering (b)"
      data-test="letters"
      @click="toggleLettering"
    >
      <span class="text-xs">A</span><span class="text-lg">A</span>
    </button>
    <span v-if="read" class="ml-auto whitespace-nowrap" data-test="pointer">
      <span class="caption mr-1 hidden sm:inline">{{ pointer ? 'pointer' : 'middle' }}</span>{{ shortPosition(read) }}
    </span>
  </div>
</template>
