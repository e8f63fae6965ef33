<script setup lang="ts">
// The bench Places: the list of everything, what there is to keep, and the bin.
import { desk, type Part } from '../desk/desk'
import { useEventListener } from '@vueuse/core'
import { takeFrom } from '../desk/files'
import AddressesPage from './AddressesPage.vue'
import BinPage from './BinPage.vue'
import FilesPage from './FilesPage.vue'
import KindsPage from './KindsPage.vue'
import ListPage from './ListPage.vue'
import PartTabs from './PartTabs.vue'

const PARTS: { id: Part; title: string; key: string }[] = [
  { id: 'list', title: 'List', key: 'L' },
  { id: 'kinds', title: 'Collections', key: 'S' },
  { id: 'files', title: 'Files', key: '#' },
  { id: 'addresses', title: 'Addresses', key: '&' },
  { id: 'bin', title: 'Bin', key: 'Z' },
]

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
      <PartTabs v-model="desk.part" of="Places" :parts="PARTS" test="part" />
    </header>
    <ListPage v-if="desk.part === 'list'" />
    <KindsPage v-else-if="desk.part === 'kinds'" />
    <FilesPage v-else-if="desk.part === 'files'" />
    <AddressesPage v-else-if="desk.part === 'addresses'" />
    <BinPage v-else />
  </section>
</template>
