<script setup lang="ts">
// What the one line may mean, with how well each matched.
import type { Feature } from '../api/client'

defineProps<{ readings: Feature[]; active: number }>()
const emit = defineEmits<{ act: [Feature]; point: [number] }>()
const kinds: Record<string, string> = {
  position: 'position',
  address: 'address',
  street: 'street',
  landmark: 'landmark',
  locality: 'locality',
  place: 'your place',
}
</script>

<template>
  <section aria-labelledby="readings-title">
    <h2 id="readings-title" class="px-4 pt-3 pb-1 font-serif text-lg font-bold">It may mean</h2>
    <ul id="readings" role="listbox" aria-labelledby="readings-title" class="ruled" data-test="readings">
      <li
        v-for="(f, i) in readings"
        :id="`reading-${i}`"
        :key="`${f.properties.kind} ${f.properties.label} ${i}`"
        role="option"
        :aria-selected="i === active"
        class="flex cursor-pointer items-baseline gap-2 px-4 py-1.5"
        :class="i === active ? 'bg-selected' : ''"
        @mousedown.prevent="emit('act', f)"
        @mousemove="emit('point', i)"
      >
        <span class="w-6 text-right font-serif" aria-hidden="true">{{ i === active ? '☞' : '' }}</span>
        <span class="min-w-0 flex-1">{{ f.properties.label }}</span>
        <span class="caption">{{ kinds[f.properties.kind ?? ''] }}</span>
        <span class="w-11 text-right" :title="`matched: ${(f.properties.matched ?? []).join(', ')}`"
          >{{ Math.round((f.properties.confidence ?? 0) * 100) }} %</span
        >
      </li>
    </ul>
    <p class="caption px-4 py-2">
      Enter looks at the one marked, Shift Enter opens it in another app; ↑ ↓ choose another.
    </p>
  </section>
</template>
