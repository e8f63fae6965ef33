<script setup lang="ts">
// The label of the selected spot: what it is, and what can be done there. It stands in the margin with a line to its
// spot.
import { useElementSize } from '@vueuse/core'
import { computed, ref, toRef, watch } from 'vue'
import { chart, copyPosition, goTo, keepAt, select, standAt } from '../desk/acts'
import { desk, type Named } from '../desk/desk'
import { beginDrawing } from '../desk/editing'
import { shortPosition, whereOf } from '../desk/format'
import { distanceM } from '../chart/geodesic'
import { contains } from '../desk/outline'
import { openLinks } from '../desk/onward'
import { isVisible, places } from '../desk/places'
import { useAddress } from '../desk/questions'

const props = defineProps<{ spot: Named; x: number; y: number }>()
const { data: address } = useAddress(toRef(props, 'spot'))

const WIDTH = 262
const frame = ref<HTMLElement>()
const { height: tall } = useElementSize(frame, undefined, { box: 'border-box' })
const box = computed(() => {
  const c = chart.value?.camera
  const width = c?.width ?? 800
  const height = c?.height ?? 600
  const high = tall.value || 160
  const inside = (top: number) => Math.max(6, Math.min(height - high - 6, top))
  const right = props.x + 40 + WIDTH < width
  if (right || props.x - 40 - WIDTH > 0) {
    const left = right ? props.x + 40 : props.x - 40 - WIDTH
    const top = inside(props.y - 96)
    return { left, top, lineX: right ? left : left + WIDTH, lineY: top + 20 }
  }
  // No room beside it: above or below, so that it never lies over its own spot.
  const above = props.y - 30 - high > 0
  const top = inside(above ? props.y - 30 - high : props.y + 30)
  const left = Math.max(6, Math.min(width - WIDTH - 6, props.x - WIDTH / 2))
  return { left, top, lineX: left + WIDTH / 2, lineY: above ? top + high : top }
})
/** A finger's tap is followed by a click at the same pixel, where the label may lie by then: that one is not for it. */
const GHOST_MS = 350
const GHOST_PX = 24
let since = performance.now()
watch(
  () => props.spot,
  () => (since = performance.now()),
)
function ghost(e: MouseEvent): void {
  const map = frame.value!.parentElement!.getBoundingClientRect()
  if (
    performance.now() - since < GHOST_MS &&
    Math.hypot(e.clientX - map.left - props.x, e.clientY - map.top - props.y) < GHOST_PX
  )
    e.stopPropagation()
}
/** What it is called: what was looked up, or the address when one is near. */
const near = computed(() => address.value?.properties)
const named = computed<Named>(() => ({
  ...props.spot,
  name:
    props.spot.name ??
    (near.value?.kind === 'address' && (near.value.distance_m ?? 99) < 40 ? near.value.label : undefined),
}))
/** The areas that it lies in. */
const areas = computed(() =>
  [...places.values()]
    .filter(
      (p) =>
        isVisible(p) &&
        !desk.hidden.includes(p.category) &&
        p.outline &&
        (p.outline.kind === 'circle'
          ? distanceM(p.outline.at, props.spot) <= p.outline.radiusM
          : p.outline.kind === 'area' &&
            contains(p.outline.rings[0]!, props.spot) &&
            !p.outline.rings.slice(1).some((r) => contains(r, props.spot))),
    )
    .slice(0, 3),
)
const inside = computed(
  () =>
    props.x > -20 &&
    props.y > -20 &&
    props.x < (chart.value?.camera.width ?? 1e9) + 20 &&
    props.y < (chart.value?.camera.height ?? 1e9) + 20,
)
</script>

<template>
  <template v-if="inside">
    <svg class="pointer-events-none absolute inset-0 h-full w-full" aria-hidden="true">
      <line :x1="x" :y1="y" :x2="box.lineX" :y2="box.lineY" stroke="var(--paper)" stroke-width="4" />
      <line :x1="x" :y1="y" :x2="box.lineX" :y2="box.lineY" stroke="var(--ink)" stroke-width="1.2" />
    </svg>
    <div
      ref="frame"
      class="border-ink bg-paper absolute cursor-default border-t-2 border-b px-2.5 py-2 text-[15px]"
      :style="{ left: `${box.left}px`, top: `${box.top}px`, width: `${WIDTH}px` }"
      data-test="spot-label"
      @click.capture="ghost"
      @pointerdown.stop
      @wheel.stop
    >
      <p class="flex items-start gap-2">
        <span class="min-w-0 flex-1 font-serif leading-tight font-medium">{{ spot.name ?? shortPosition(spot) }}</span>
        <button class="act -mt-1 -mr-1.5 px-1.5!" aria-label="Close" title="Close (Esc)" @click="desk.spot = null">
          ×
        </button>
      </p>
      <p class="caption mb-1.5">
        <template v-if="spot.name">{{ shortPosition(spot) }}</template>
        <template v-else-if="near">{{ whereOf(near) }}</template>
        <template v-else>no address near</template>
      </p>
      <p v-if="areas.length" class="caption -mt-1 mb-1.5" data-test="spot-areas">
        in
        <template v-for="(a, i) in areas" :key="a.id"
          >{{ i ? ', ' : '' }}<button class="underline" @click="select(a.id)">{{ a.name }}</button></template
        >
      </p>
      <div class="flex flex-wrap gap-1">
        <button class="act" data-test="keep" @click="keepAt(named, spot.name ? 'address' : 'map')">
          Save place <span class="key">k</span>
        </button>
        <button class="act" data-test="stand" @click="standAt(named)">Stand here <span class="key">s</span></button>
        <button class="act" data-test="go" @click="goTo(named)">Go here <span class="key">g</span></button>
        <button class="act" data-test="copy" @click="copyPosition(spot)">Copy <span class="key">c</span></button>
        <button class="act" data-test="spot-open-in" @click="openLinks({ ...named, address: near?.label })">
          Open in … <span class="key">O</span>
        </button>
        <span class="caption flex items-center gap-1"
          >draw
          <button class="act" data-test="draw-path" @click="beginDrawing('path', spot)">
            path <span class="key">P</span>
          </button>
          <button class="act" data-test="draw-area" @click="beginDrawing('area', spot)">
            area <span class="key">A</span>
          </button>
          <button class="act" data-test="draw-circle" @click="beginDrawing('circle', spot)">
            circle <span class="key">C</span>
          </button>
        </span>
      </div>
    </div>
  </template>
</template>
