<script setup lang="ts">
// A junction as a road-book draws it: one comes from below, the arrow is the way to go, the other roads are thin.
import { computed } from 'vue'
import type { Step } from '../api/client'

const props = defineProps<{ step: Step; size: number }>()
const C = 24
const towards = (degrees: number, r: number) => {
  const a = (degrees * Math.PI) / 180
  return { x: C + r * Math.sin(a), y: C - r * Math.cos(a) }
}
const from = computed(() => props.step.arrival_deg ?? props.step.bearing_deg ?? 0)
const out = computed(() => (props.step.bearing_deg === null ? null : props.step.bearing_deg - from.value))
const arms = computed(() => props.step.arms_deg.map((b) => towards(b - from.value, 17)))
const head = computed(() => {
  if (out.value === null) return ''
  const tip = towards(out.value, 20)
  const side = (turn: number) => {
    const p = towards(out.value! + turn, 12)
    return `M${tip.x.toFixed(1)} ${tip.y.toFixed(1)}L${p.x.toFixed(1)} ${p.y.toFixed(1)}`
  }
  return side(26) + side(-26)
})
const shaft = computed(() => {
  if (out.value === null) return ''
  const tip = towards(out.value, 20)
  return `M${C} 46V${C}L${tip.x.toFixed(1)} ${tip.y.toFixed(1)}`
})
</script>

<template>
  <svg
    :width="size"
    :height="size"
    viewBox="0 0 48 48"
    fill="none"
    stroke="currentColor"
    stroke-linecap="round"
    stroke-linejoin="round"
    class="text-verdigris shrink-0"
    aria-hidden="true"
  >
    <g v-if="step.turn === 'arrive'" stroke-width="3.200">
      <path d="M24 46V10" />
      <path d="M24 6h12v9H24Z" fill="currentColor" />
    </g>
    <template v-else>
      <path
        v-for="(p, i) in arms"
        :key="i"
        :d="`M${C} ${C}L${p.x.toFixed(1)} ${p.y.toFixed(1)}`"
        class="text-slate"
        stroke="currentColor"
        stroke-width="2"
      />
      <path :d="shaft" stroke-width="4" />
      <path :d="head" stroke-width="4" />
    </template>
  </svg>
</template>
