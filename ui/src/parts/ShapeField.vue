<script setup lang="ts">
// The shape of a path or an area in the form: what it measures, what is wrong with it, and what can be done to its
// vertices.
import { computed } from 'vue'
import { chart, lookAt } from '../desk/acts'
import { beginHole, deleteVertex, editing, mark, setRadius, split, uncross } from '../desk/editing'
import { measureText, readLength } from '../desk/format'
import { LEAST, verticesOf } from '../desk/outline'
import { followFaults, useShape } from '../desk/questions'

const outline = computed(() => editing.draft.outline)
const { data: shape, error } = useShape(outline)
followFaults(computed(() => (error.value ? undefined : shape.value)))

const count = computed(() =>
  outline.value && outline.value.kind !== 'circle' ? outline.value.rings.reduce((n, r) => n + r.length, 0) : 0,
)
const holes = computed(() => (outline.value?.kind === 'area' ? outline.value.rings.length - 1 : 0))
const lacks = computed(() => {
  const o = outline.value
  const ring = o && o.kind !== 'circle' && o.rings[editing.active?.ring ?? 0]
  return o && o.kind !== 'circle' && ring ? Math.max(0, LEAST[o.kind] - ring.length) : 0
})
const told = computed(() => {
  if (lacks.value) return `Click the map: ${lacks.value} more ${lacks.value === 1 ? 'vertex' : 'vertices'} needed.`
  if (editing.drawing) return 'Click the map to go on; Enter, or a click on a vertex, ends it.'
  if (editing.splitting) return 'Click the vertex to split to.'
  if (editing.active) return 'One vertex is in hand: drag it, delete it, split there, or continue drawing from it.'
  return 'Drag a vertex to move it; click one to take it in hand; click the middle of a side to make one.'
})
const faults = computed(() => (!error.value && shape.value?.faults) || [])

function typeRadius(e: Event): void {
  const text = (e.target as HTMLInputElement).value
  const m = readLength(text) ?? Number(text.replace(',', '.'))
  if (Number.isFinite(m) && m > 0) {
    mark()
    setRadius(m)
  }
}
const fit = () => outline.value && chart.value?.fit(verticesOf(outline.value))
defineExpose({ mend: () => shape.value?.uncrossed && uncross(shape.value.uncrossed) })
</script>

<template>
  <div v-if="outline" class="border-rule mt-2 border-y py-1.5" data-test="shape-field">
    <p class="flex items-baseline gap-2">
      <span class="caption">{{ outline.kind === 'path' ? 'Path' : outline.kind === 'area' ? 'Area' : 'Circle' }}</span>
      <span class="flex-1 font-medium" data-test="shape-measure">{{
        !lacks && shape && !error ? measureText(shape) : '—'
      }}</span>
      <span v-if="count" class="caption" data-test="shape-count"
        >{{ count }} vertices{{ holes ? `, ${holes} ${holes === 1 ? 'hole' : 'holes'}` : '' }}</span
      >
    </p>
    <label v-if="outline.kind === 'circle'" class="caption mt-1 flex items-baseline gap-2"
      >Radius
      <input
        class="field text-ink w-28!"
        :value="`${outline.radiusM} m`"
        data-test="radius"
        @change="typeRadius"
        @keydown.enter.prevent="typeRadius"
      />
      drag its rim, or the cross in its middle
    </label>
    <template v-else>
      <p class="caption mt-0.5" aria-live="polite" data-test="shape-told">{{ told }}</p>
      <div class="mt-1 flex flex-wrap gap-1">
        <button v-if="editing.drawing" type="button" class="act" data-test="draw-end" @click="editing.drawing = false">
          Finish <span class="key">↵</span>
        </button>
        <button
          v-else
          type="button"
          class="act"
          :disabled="!editing.active"
          data-test="draw-on"
          @click="editing.drawing = true"
        >
          Continue drawing <span class="key">Ins</span>
        </button>
        <button type="button" class="act" :disabled="!editing.active" data-test="vertex-delete" @click="deleteVertex">
          Delete vertex <span class="key">Del</span>
        </button>
        <button
          v-if="editing.place"
          type="button"
          class="act"
          :disabled="!editing.active || editing.drawing"
          data-test="split"
          @click="split"
        >
          Split here <span class="key">X</span>
        </button>
        <button
          v-if="outline.kind === 'area'"
          type="button"
          class="act"
          :disabled="lacks > 0"
          data-test="hole"
          @click="beginHole"
        >
          Add a hole <span class="key">O</span>
        </button>
        <button type="button" class="act" data-test="fit-shape" @click="fit">Show on map</button>
      </div>
    </template>
    <p v-if="error" class="text-madder mt-1 text-sm" role="alert">{{ error.message }}</p>
    <div v-if="faults.length" class="border-madder mt-1 border-l-2 pl-2 text-sm" role="alert" data-test="fault">
      {{ faults[0]!.reason }}{{ faults.length > 1 ? `, and ${faults.length - 1} more` : '' }}; it is marked on the map.
      <button
        v-if="faults[0]!.at"
        type="button"
        class="underline"
        @click="lookAt({ lat: faults[0]!.at![1]!, lng: faults[0]!.at![0]! })"
      >
        Show on map
      </button>
      <button
        v-if="shape?.uncrossed"
        type="button"
        class="text-madder ml-2 underline"
        data-test="uncross"
        @click="uncross(shape.uncrossed)"
      >
        Reorder the vertices so that it does not cross <span class="key">Alt M</span>
      </button>
    </div>
  </div>
</template>
