<script setup lang="ts" generic="P extends string">
// The parts of a bench, as words to press at the head of its page.
defineProps<{
  /** The bench, for whoever hears the page. */
  of: string
  parts: { id: P; title: string; key?: string }[]
  /** What the names of the buttons begin with, for tests. */
  test: string
}>()
const open = defineModel<P>({ required: true })
</script>

<template>
  <nav class="ml-auto flex gap-3" :aria-label="`Parts of the bench ${of}`">
    <button
      v-for="part in parts"
      :key="part.id"
      class="border-b-2 whitespace-nowrap"
      :class="open === part.id ? 'border-madder font-medium' : 'text-slate hover:text-ink border-transparent'"
      :aria-current="open === part.id ? 'page' : undefined"
      :data-test="`${test}-${part.id}`"
      @click="open = part.id"
    >
      {{ part.title }} <span v-if="part.key" class="key">{{ part.key }}</span>
    </button>
    <slot />
  </nav>
</template>
