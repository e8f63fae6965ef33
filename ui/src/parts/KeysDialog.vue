<script setup lang="ts">
// Every action has a key; this lists them.
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/vue'
import { GROUPS, linesOf } from '../desk/keys'

const open = defineModel<boolean>({ required: true })
</script>

<template>
  <Dialog :open="open" class="relative z-50" @close="open = false">
    <div class="fixed inset-0 bg-black/50" aria-hidden="true" />
    <div class="fixed inset-0 flex items-center justify-center overflow-y-auto p-4">
      <DialogPanel
        class="border-ink bg-paper text-ink max-h-full w-full max-w-6xl overflow-y-auto border px-6 py-4"
        data-test="keys"
      >
        <div class="flex items-baseline">
          <DialogTitle class="flex-1 font-serif text-xl font-bold">Keys</DialogTitle>
          <button class="act" data-test="keys-close" @click="open = false">Close <span class="key">Esc</span></button>
        </div>
        <div class="mt-2 gap-x-8 text-[15px] sm:columns-2 lg:columns-3">
          <section v-for="group in GROUPS" :key="group" class="mb-3 break-inside-avoid">
            <h3 class="font-serif italic">{{ group }}</h3>
            <dl class="grid grid-cols-[7rem_1fr] gap-x-2 leading-snug">
              <template v-for="line in linesOf(group)" :key="line.as">
                <dt class="font-medium">{{ line.as }}</dt>
                <dd>{{ line.what }}</dd>
              </template>
            </dl>
          </section>
        </div>
      </DialogPanel>
    </div>
  </Dialog>
</template>
