<script setup lang="ts">
// What the one line may mean, with how well each matched.
import type { Feature } from '../api/client'

/** What tells it apart, and how it differs from what was typed. */
function remarks(f: Feature): string {
  const p = f.properties
  const named = p.label ?? ''
  return [
    p.other_name && `also called ${p.other_name}`,
    ...(p.corrected ?? []).map((c) => `${c.typed} read as ${c.read}`),
    p.interpolated && `between numbers ${(p.between ?? []).join(' and ')}`,
    p.number_unknown && 'this house number is not on the map',
    p.ignored?.length && `without ${p.ignored.join(' ')}`,
    p.category && p.kind === 'landmark' && p.category.toLowerCase() !== named.toLowerCase() && p.category,
    p.district,
  ]
    .filter(Boolean)
    .join(' · ')
}

defineProps<{ readings: Feature[]; active: number; nothing: string }>()
const emit = defineEmits<{ act: [Feature]; point: [number] }>()
const kinds: Record<string, string> = {
  position: 'position',
  address: 'address',
  crossing: 'crossing',
  street: 'street',
  landmark: 'landmark',
  postcode: 'postcode',
  locality: 'locality',
  district: 'district',
  place: 'your place',
}
</script>

<template>
  <section v-if="!readings.length" aria-label="Nothing found">
    <h2 class="px-4 pt-3 pb-1 font-serif text-lg font-bold">Not found</h2>
    <p class="px-4" data-test="nothing-found">{{ nothing }}</p>
    <p class="caption px-4 py-2">
      A street, a number and a town do best, in any order. Coordinates, geo: links and the names of your places are
      understood, too.
    </p>
  </section>
  <section v-else aria-labelledby="readings-title">
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
        <span class="min-w-0 flex-1">
          <span class="block leading-tight">{{ f.properties.label }}</span>
          <span v-if="remarks(f)" class="caption block leading-tight">{{ remarks(f) }}</span>
        </span>
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
