<script setup lang="ts">
// The bin: what was deleted, and comes back from it.
import { complain } from '../desk/notice'
import { categoryById, restore } from '../desk/places'
import { select } from '../desk/acts'
import { useBin } from '../desk/questions'
import type { Binned } from '../api/client'
import GlyphMark from './GlyphMark.vue'

const { data: bin, error } = useBin()

function back(b: Binned): void {
  restore(b.collection, b.feature).then((p) => select(p.id, true), complain)
}
</script>

<template>
  <section class="flex min-h-fit flex-1 flex-col" aria-label="Bin" data-test="bin-page">
    <p v-if="error" class="border-madder m-4 border-l-2 pl-3">{{ error.message }}</p>
    <p v-else-if="!bin?.length" class="border-ochre m-4 border-l-2 pl-3">
      The bin is empty. What is deleted waits here and comes back by one click.
    </p>
    <ol v-else class="ruled border-rule min-h-24 grow basis-0 overflow-y-auto border-t">
      <li v-for="b in bin" :key="b.feature.id" class="flex items-center gap-2 px-4 py-1">
        <GlyphMark :category="categoryById.get(b.feature.properties.category ?? '')" />
        <span class="min-w-0 flex-1 truncate">{{ b.feature.properties.name || 'without a name' }}</span>
        <span class="caption whitespace-nowrap">{{ new Date(b.deleted_at).toLocaleString() }}</span>
        <button class="act" :data-test="`restore-${b.feature.properties.name}`" @click="back(b)">Restore</button>
      </li>
    </ol>
  </section>
</template>
