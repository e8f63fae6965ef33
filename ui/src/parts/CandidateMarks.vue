<script setup lang="ts">
// Where the candidates for an address lie: a numbered tag each, the marked one filled.
import { computed } from 'vue'
import { chart } from '../desk/acts'
import { candidateMarks, choose } from '../desk/addresses'
import { desk } from '../desk/desk'

const shown = computed(() => {
  void desk.view // moves with the map
  const c = chart.value?.camera
  if (!c) return []
  return candidateMarks.value.map((m) => ({ ...m, ...c.toScreen(m.at) }))
})
</script>

<template>
  <button
    v-for="m in shown"
    :key="m.n"
    class="border-ink absolute z-10 -mt-3 -ml-3 size-6 border-2 text-center text-sm leading-none font-bold"
    :class="m.active ? 'bg-verdigris text-paper' : 'bg-paper text-ink'"
    :style="{ left: `${m.x}px`, top: `${m.y}px` }"
    :title="m.label"
    :aria-label="`Candidate ${m.n}: ${m.label}`"
    data-test="candidate-mark"
    @click.stop="choose(m.n - 1)"
    @pointerdown.stop
  >
    {{ m.n }}
  </button>
</template>
