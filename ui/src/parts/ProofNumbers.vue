<script setup lang="ts">
// What somebody's own code printed, held against the reference: the diagnosis with its evidence, the residuals, and
// each line.
import { computed, ref } from 'vue'
import { copy } from '../desk/acts'
import { metres } from '../desk/format'
import {
  UNITS,
  columns,
  exampleOf,
  language,
  printed,
  unit,
  useFormulas,
  useProved,
  type Proved,
  type TestPoint,
} from '../desk/proof'
import ResidualPlot from './ResidualPlot.vue'

const props = defineProps<{ points: TestPoint[] }>()
const { data, error } = useProved(() => props.points)
const { data: formulas } = useFormulas()
const result = computed<Proved | null>(() => (printed.value.trim() ? (data.value ?? null) : null))
const mistakes = computed(() => result.value?.findings.filter((f) => !f.alternative) ?? [])
const alternatives = computed(() => result.value?.findings.filter((f) => f.alternative) ?? [])
const onlyWrong = ref(false)
const MOST_SHOWN = 300
const shown = computed(() =>
  (result.value?.lines ?? []).filter((l) => !onlyWrong.value || !l.distance_ok || !l.bearing_ok),
)
const ROLES: Record<string, string> = {
  ignored: 'ignored',
  id: 'point',
  from_lat: 'from lat',
  from_lng: 'from lng',
  to_lat: 'lat',
  to_lng: 'lng',
  distance: 'distance',
  bearing: 'bearing',
}
function setRole(i: number, role: string): void {
  columns.value = (result.value?.columns ?? []).map((c, k) => (k === i ? role : c === role ? 'ignored' : c))
}
const off = (v: number | null, digits: number) =>
  v === null ? '—' : `${v > 0 ? '+' : v < 0 ? '−' : ''}${Math.abs(v).toFixed(digits)}`
const offM = (v: number | null) =>
  v === null ? '—' : Math.abs(v) < 1000 ? `${off(v, 2)} m` : `${v > 0 ? '+' : '−'}${metres(Math.abs(v))}`
const sure = computed(() => {
  const r = result.value
  if (!r) return ''
  if (r.compared === 0) return 'No line could be compared.'
  return `${r.correct} of ${r.compared} lines are right to what was printed.`
})
</script>

<template>
  <div class="flex min-h-fit flex-1 flex-col" data-test="proof-numbers-part">
    <textarea
      v-model="printed"
      class="border-ink/50 focus:border-madder bg-card mx-4 mt-1 h-28 shrink-0 resize-y border p-1.5 text-[14px] focus:outline-none"
      spellcheck="false"
      aria-label="What your code printed"
      placeholder="Paste what your code printed: a line for each point, in any order of columns: p01 1000.02 45.3"
      data-test="printed"
    ></textarea>
    <p class="flex flex-wrap items-baseline gap-x-3 px-4 py-1 text-sm">
      <label class="caption"
        >distances in
        <select v-model="unit" class="pick text-ink" aria-label="Unit of distances" data-test="printed-unit">
          <option v-for="u in UNITS" :key="u">{{ u }}</option>
        </select>
      </label>
      <button class="link" :disabled="!points.length" data-test="proof-example" @click="printed = exampleOf(points)">
        Try an example
      </button>
      <button v-if="printed" class="link ml-auto" data-test="clear-printed" @click="printed = ''">Clear</button>
    </p>
    <p v-if="error && printed.trim()" class="border-madder mx-4 my-1 border-l-2 pl-3" role="alert">
      {{ error.message }}
    </p>
    <p v-else-if="!result" class="border-ochre caption mx-4 my-1 border-l-2 pl-3">
      Run your code on the test points, and paste what it prints. Each line begins with the point's id, or holds its
      coordinates, or comes in the points' order.
    </p>
    <template v-else>
      <p class="flex flex-wrap items-baseline gap-x-3 gap-y-1 px-4 text-sm" data-test="columns">
        <span class="caption">Columns</span>
        <select
          v-for="(role, i) in result.columns"
          :key="i"
          class="pick max-w-24!"
          :class="role === 'ignored' ? 'text-slate' : ''"
          :value="role"
          :title="result.titles[i]"
          :aria-label="`Column ${i + 1}: ${result.titles[i]}`"
          @change="setRole(i, ($event.target as HTMLSelectElement).value)"
        >
          <option v-for="(title, id) in ROLES" :key="id" :value="id">{{ title }}</option>
        </select>
      </p>
      <div
        class="mx-4 my-1.5 border-l-4 py-0.5 pl-3"
        :class="result.right ? 'border-verdigris' : 'border-madder'"
        data-test="verdict"
      >
        <p class="font-medium">
          {{
            result.right
              ? 'All right.'
              : mistakes.length
                ? mistakes.length === 1
                  ? 'One mistake explains them.'
                  : `${mistakes.length} mistakes explain them.`
                : result.compared
                  ? 'They are off, and no mistake that is known here explains it.'
                  : ''
          }}
        </p>
        <p class="caption">{{ sure }}</p>
      </div>
      <div v-if="result.findings.length" class="px-4" data-test="findings">
        <ol>
          <li v-for="(f, i) in mistakes" :key="f.code" class="border-rule border-t py-1.5" :data-code="f.code">
            <p class="font-medium">{{ i + 1 }}. {{ f.title }}</p>
            <p class="caption">{{ f.evidence }}</p>
            <p class="bg-card border-rule mt-1 flex items-baseline gap-2 border px-2 py-0.5 text-[14px]">
              <code class="min-w-0 flex-1 break-words whitespace-pre-wrap">{{ f.mends[language] }}</code>
              <button class="link shrink-0" @click="copy(f.mends[language] ?? '', 'the line')">Copy</button>
            </p>
          </li>
        </ol>
        <p class="border-rule flex flex-wrap items-baseline gap-x-3 border-t py-1 text-sm">
          <label class="caption"
            >in
            <select v-model="language" class="pick text-ink" aria-label="Language" data-test="mend-language">
              <option v-for="l in formulas?.languages" :key="l.id" :value="l.id">{{ l.title }}</option>
            </select>
          </label>
          <span v-if="alternatives.length" class="caption min-w-0 flex-1">
            Less likely: {{ alternatives.map((f) => f.title).join('; ') }}
          </span>
        </p>
      </div>
      <ResidualPlot v-if="result.lines.length" :lines="result.lines" />
      <div v-if="result.refused" class="border-ochre mx-4 my-1 border-l-2 pl-3 text-sm" data-test="refused">
        <p>{{ result.refused }} {{ result.refused === 1 ? 'line cannot' : 'lines cannot' }} be compared:</p>
        <p v-for="p in result.problems.slice(0, 5)" :key="`${p.line}-${p.column}`" class="caption">
          line {{ p.line }}, {{ p.column }}{{ p.value ? ` “${p.value}”` : '' }} {{ p.reason
          }}{{ p.hint ? ` (${p.hint})` : '' }}
        </p>
      </div>
      <p class="head items-baseline gap-3">
        <span class="flex-1">Lines</span>
        <label class="font-sans text-sm not-italic"
          ><input v-model="onlyWrong" type="checkbox" class="accent-ochre" /> only those that are off</label
        >
      </p>
      <table class="w-full text-[15px]" data-test="compared">
        <thead class="caption">
          <tr>
            <th class="pl-4 text-left font-normal">Point</th>
            <th class="text-right font-normal">printed</th>
            <th class="text-right font-normal">off</th>
            <th class="text-right font-normal">bearing</th>
            <th class="pr-4 text-right font-normal">off</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="l in shown.slice(0, MOST_SHOWN)" :key="l.line" class="border-rule border-b">
            <td class="max-w-20 truncate pl-4">{{ l.id || `line ${l.line}` }}</td>
            <td class="text-right">{{ l.distance_m === null ? '—' : metres(l.distance_m) }}</td>
            <td class="text-right" :class="l.distance_ok ? 'text-verdigris' : 'text-madder font-medium'">
              {{ l.distance_ok && l.distance_off_m !== null ? '✓' : offM(l.distance_off_m) }}
            </td>
            <td class="text-right">{{ l.bearing_deg === null ? '—' : `${Number(l.bearing_deg.toFixed(3))}°` }}</td>
            <td class="pr-4 text-right" :class="l.bearing_ok ? 'text-verdigris' : 'text-madder font-medium'">
              {{
                l.bearing_ok && l.bearing_off_deg !== null
                  ? '✓'
                  : l.bearing_off_deg === null
                    ? '—'
                    : `${off(l.bearing_off_deg, 2)}°`
              }}
            </td>
          </tr>
        </tbody>
      </table>
      <p v-if="shown.length > MOST_SHOWN" class="caption px-4 py-1">
        and {{ shown.length - MOST_SHOWN }} more{{ result.truncated ? ' of the first ten thousand' : '' }}
      </p>
    </template>
  </div>
</template>
