<script setup lang="ts">
// Test points round the standpoint: which there are, with their reference values, and how they leave the page.
import { computed, ref } from 'vue'
import { copy, lookAt } from '../desk/acts'
import { desk } from '../desk/desk'
import { shortPosition } from '../desk/format'
import { complain, say } from '../desk/notice'
import {
  fan,
  keepPoints,
  pointsPath,
  unreadBearings,
  unreadDistances,
  useFormulas,
  type TestPoint,
} from '../desk/proof'

const props = defineProps<{ points: TestPoint[]; error: Error | null }>()
const { data: formulas } = useFormulas()
const format = ref('csv')
const FILES: Record<string, string> = {
  csv: 'points.csv',
  json: 'points.json',
  jest: 'points.test.js',
  pytest: 'test_points.py',
  go: 'points_test.go',
  junit: 'PointsTest.kt',
  xctest: 'PointsTests.swift',
  dart: 'points_test.dart',
}
const unread = computed(() => [...unreadBearings.value, ...unreadDistances.value])

async function copyPoints(): Promise<void> {
  const answer = await fetch(pointsPath(format.value))
  if (!answer.ok) throw new Error('The test points cannot be written.')
  await navigator.clipboard.writeText(await answer.text()).then(
    () => say(`Copied ${props.points.length} test points as ${FILES[format.value]}`),
    () => copy('', ''),
  )
}
async function keep(): Promise<void> {
  const n = await keepPoints(props.points)
  say(`Saved ${n} places in the collection Test points`, { undoable: true })
}
const at = (p: TestPoint) => ({ lat: p.to[1]!, lng: p.to[0]! })
</script>

<template>
  <div class="flex min-h-0 flex-1 flex-col" data-test="proof-points-part">
    <div class="grid grid-cols-[auto_1fr] items-baseline gap-x-3 px-4">
      <span class="caption">From</span>
      <span class="truncate" data-test="proof-from">{{
        desk.standpoint!.name ?? shortPosition(desk.standpoint!)
      }}</span>
      <label class="caption" for="proof-bearings">Bearings</label>
      <input id="proof-bearings" v-model="fan.bearings" class="field" spellcheck="false" data-test="proof-bearings" />
      <label class="caption" for="proof-distances">Distances</label>
      <input
        id="proof-distances"
        v-model="fan.distances"
        class="field"
        spellcheck="false"
        data-test="proof-distances"
      />
      <span class="caption">Edges</span>
      <label class="py-1">
        <input v-model="fan.edges" type="checkbox" class="accent-ochre" data-test="proof-edges" />
        antimeridian, pole, equator, one metre, far side
      </label>
    </div>
    <p v-if="unread.length" class="caption px-4" data-test="proof-unread">
      Not understood yet: {{ unread.join(', ') }}. Angles as 45, NNE, 0.5rad; lengths as 800 m, 5 km, 3 mi.
    </p>
    <p v-if="error" class="border-madder mx-4 my-1 border-l-2 pl-3">{{ error.message }}</p>
    <p class="border-ink/60 mt-1 flex flex-wrap items-center gap-2 border-b px-4 py-1.5">
      <select v-model="format" class="pick" aria-label="Format" data-test="proof-format">
        <option value="csv">CSV</option>
        <option value="json">JSON</option>
        <option v-for="f in formulas?.frameworks" :key="f.id" :value="f.id">{{ f.title }}</option>
      </select>
      <button class="act" :disabled="!points.length" data-test="copy-points" @click="copyPoints().catch(complain)">
        Copy
      </button>
      <a class="act" :href="pointsPath(format)" :download="FILES[format]">Save file</a>
      <button class="act ml-auto" :disabled="!points.length" data-test="keep-points" @click="keep().catch(complain)">
        Save as places
      </button>
    </p>
    <ol class="ruled one-page min-h-24 grow basis-0 overflow-y-auto" data-test="test-points">
      <li v-for="p in points" :key="p.id">
        <button
          class="hover:bg-selected flex w-full items-baseline gap-2 px-4 py-1 text-left outline-offset-[-2px]"
          title="Show on map"
          @click="lookAt(at(p), 5)"
        >
          <span class="text-slate w-8 shrink-0 text-sm">{{ p.id }}</span>
          <span class="min-w-0 flex-1 truncate">{{ p.name }}</span>
          <span class="text-slate w-20 shrink-0 text-right">{{
            p.bearing_deg === null ? 'undefined' : `${p.bearing_deg.toFixed(4)}°`
          }}</span>
          <span class="w-24 shrink-0 text-right font-medium">{{
            p.distance_m < 100_000 ? `${p.distance_m.toFixed(3)} m` : `${(p.distance_m / 1000).toFixed(3)} km`
          }}</span>
        </button>
      </li>
    </ol>
  </div>
</template>
