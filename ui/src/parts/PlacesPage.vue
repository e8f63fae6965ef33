<script setup lang="ts">
// The bench Places: the list of everything, what there is to keep, and the bin.
import { PARTS, desk, type Part } from '../desk/desk'
import { useEventListener } from '@vueuse/core'
import { takeFrom } from '../desk/files'
import AddressesPage from './AddressesPage.vue'
import BinPage from './BinPage.vue'
import FilesPage from './FilesPage.vue'
import KindsPage from './KindsPage.vue'
import ListPage from './ListPage.vue'

const TITLES: Record<Part, [title: string, key: string]> = {
  list: ['List', 'L'],
  kinds: ['Collections', 'S'],
  files: ['Files', '#'],
  addresses: ['Addresses', '&'],
  bin: ['Bin', 'Z'],
}

// A file dropped anywhere on the page, or rows pasted while nobody types, are to be taken in.
useEventListener(window, 'dragover', (e) => e.preventDefault())
useEventListener(window, 'drop', (e) => {
  e.preventDefault()
  takeFrom(e.dataTransfer)
})
useEventListener(window, 'paste', (e) => {
  const at = e.target
  const typing = at instanceof HTMLElement && at.matches('input:not([type=file]), textarea, [contenteditable]')
  if (!typing && takeFrom(e.clipboardData)) e.preventDefault()
})
</script>

<template>
  <section class="flex min-h-fit flex-1 flex-col" aria-labelledby="places-title">
    <header class="flex flex-wrap items-baseline gap-x-3 px-4 pt-2.5 pb-1">
      <h1 id="places-title" class="font-serif text-xl font-bold">Places</h1>
      <nav class="ml-auto flex gap-3" aria-label="Parts of the bench Places">
        <button
          v-for="part in PARTS"
          :key="part"
          class="border-b-2 whitespace-nowrap"
          :class="desk.part === part ? 'border-madder font-medium' : 'text-slate hover:text-ink border-transparent'"
          :aria-current="desk.part === part ? 'page' : undefined"
          :data-test="`part-${part}`"
          @click="desk.part = part"
        >
          {{ TITLES[part][0] }} <span class="key">{{ TITLES[part][1] }}</span>
        </button>
      </nav>
    </header>
    <ListPage v-if="desk.part === 'list'" />
    <KindsPage v-else-if="desk.part === 'kinds'" />
    <FilesPage v-else-if="desk.part === 'files'" />
    <AddressesPage v-else-if="desk.part === 'addresses'" />
    <BinPage v-else />
  </section>
</template>
