<script setup lang="ts">
// The flag of somebody in a list: the same as on the map.
import { computed } from 'vue'
import { initials, type Freshness, type Person } from '../desk/party'
import { inkOf } from './mappeople'

const props = defineProps<{ person: Person; fresh: Freshness }>()
const old = computed(() => props.fresh !== 'live')
const ink = computed(() => (old.value ? 'var(--slate)' : `var(--${inkOf(props.person.id)})`))
</script>

<template>
  <svg class="h-6 w-8 shrink-0" viewBox="0 0 32 24" aria-hidden="true">
    <path d="M3 2v21" :stroke="ink" stroke-width="2.500" />
    <path
      d="M4.200 3H30l-4.500 8 4.500 8H4.200Z"
      :fill="old ? 'var(--paper)' : ink"
      :stroke="ink"
      stroke-width="1.300"
      :stroke-dasharray="fresh === 'stale' || fresh === 'live' ? undefined : '2 2'"
    />
    <text
      x="15"
      y="15.200"
      text-anchor="middle"
      font-size="11.500"
      font-weight="700"
      :fill="old ? ink : 'var(--paper)'"
    >
      {{ initials(person.name) }}
    </text>
  </svg>
</template>
