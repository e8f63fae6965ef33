<script setup lang="ts">
// The bench Proof: test points with reference values, one's own numbers held against them, formulas to follow and copy.
import { computed, onScopeDispose, watchEffect } from 'vue'
import { standAt, standHere } from '../desk/acts'
import { desk, type ProofPart } from '../desk/desk'
import { markPoints, printed, testMarks, useProved, useTestPoints } from '../desk/proof'
import PartTabs from './PartTabs.vue'
import ProofFormulas from './ProofFormulas.vue'
import ProofNumbers from './ProofNumbers.vue'
import ProofPoints from './ProofPoints.vue'

const PARTS: { id: ProofPart; title: string }[] = [
  { id: 'points', title: 'Test points' },
  { id: 'numbers', title: 'My numbers' },
  { id: 'formulas', title: 'Formulas' },
]
const { data, error } = useTestPoints()
const points = computed(() => (desk.standpoint ? (data.value?.points ?? []) : []))
const { data: proved } = useProved(() => points.value)
watchEffect(() => markPoints(points.value, printed.value.trim() ? (proved.value ?? null) : null))
onScopeDispose(() => (testMarks.value = []))
</script>

<template>
  <section class="flex min-h-fit flex-1 flex-col" aria-labelledby="proof-title" data-test="proof-page">
    <header class="flex flex-wrap items-baseline gap-x-3 px-4 pt-2.5 pb-1">
      <h1 id="proof-title" class="font-serif text-xl font-bold">Proof</h1>
      <PartTabs v-model="desk.proofPart" of="Proof" :parts="PARTS" test="proof" />
    </header>
    <div v-if="!desk.standpoint && desk.proofPart !== 'formulas'" class="border-ochre mx-4 my-3 border-l-2 pl-3">
      <p>There is no standpoint yet: distances and bearings are measured from one.</p>
      <p class="mt-2 flex flex-wrap gap-2">
        <button
          class="act-main"
          data-test="proof-stand"
          @click="desk.view && standAt({ lat: desk.view.lat, lng: desk.view.lng })"
        >
          Stand in the middle of the map
        </button>
        <button class="act" @click="standHere">Stand where I am</button>
      </p>
    </div>
    <ProofPoints v-if="desk.proofPart === 'points' && desk.standpoint" :points="points" :error="error" />
    <ProofNumbers v-else-if="desk.proofPart === 'numbers' && desk.standpoint" :points="points" />
    <ProofFormulas v-else-if="desk.proofPart === 'formulas'" :points="points" />
  </section>
</template>
