<script setup lang="ts">
// A category's glyph on a small milestone, as on the map.
import glyphs from '@style/glyphs.json'
import type { Category } from '../api/client'

defineProps<{ category?: Pick<Category, 'name' | 'glyph' | 'colour' | 'picture'> }>()
const path = (name?: string) => (glyphs as Record<string, string>)[name ?? 'stone'] ?? glyphs.stone
</script>

<template>
  <svg class="h-6 w-5 shrink-0" viewBox="0 0 20 26" role="img" :aria-label="category?.name ?? 'place'">
    <path d="M1 25V10a9 9 0 0 1 18 0v15Z" fill="var(--card)" stroke="var(--ink)" stroke-width="1.3" />
    <path d="M1.600 21.200h16.800V24.400H1.600Z" :fill="category?.colour ?? 'var(--slate)'" />
    <image v-if="category?.picture" :href="`/v1/pictures/${category.picture}`" x="2.500" y="4" width="15" height="15" />
    <g v-else transform="translate(3.200 4.600) scale(.57)">
      <path
        :d="path(category?.glyph)"
        fill="none"
        stroke="var(--ink)"
        stroke-width="2"
        stroke-linecap="round"
        stroke-linejoin="round"
      />
    </g>
  </svg>
</template>
