<script setup lang="ts">
// Every action has a key; this lists them.
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/vue'

const open = defineModel<boolean>({ required: true })
const groups: [string, [string, string][]][] = [
  [
    'Anywhere',
    [
      ['/', 'write into the top line'],
      ['Shift L · S · Z', 'Places: list · collections and categories · bin'],
      ['a · j', 'Around · Journey'],
      ['v', 'views and layers'],
      ['1 to 9', 'saved views'],
      ['q, digit', 'what has that quick key'],
      ['. · ,', 'next in the list · previous'],
      ['u · Shift U', 'undo · redo; Ctrl Z, too'],
      ['w', 'the wire'],
      ['n', 'day and night'],
      ['y', 'next style of the ground'],
      ['b', 'large lettering'],
      ['d', 'names beside places'],
      ['Esc', 'close what is open'],
      ['?', 'this list'],
    ],
  ],
  [
    'On the map',
    [
      ['m', 'go to the map'],
      ['arrows', 'move, farther with Shift'],
      ['+ −', 'zoom'],
      ['[ ] · 0 or x', 'turn by 15° · north up'],
      ['Shift and drag', 'zoom to a box'],
      ['Alt and drag', 'turn; two fingers, too'],
      ['Enter', 'select the spot in the middle'],
      ['p · o', 'copy the position · its notation'],
      ['i', 'metres, or feet and miles'],
      ['h', 'show the ring'],
      ['f', 'fit what is shown'],
    ],
  ],
  [
    'A spot or a place',
    [
      ['k', 'save a place at the spot'],
      ['Shift K · H', 'save one in the middle · where I am'],
      ['s · g', 'stand here · go there'],
      ['Shift M', 'unfold the slip, fold it'],
      ['c', 'copy the position'],
      ['l', 'show on map'],
      ['z', 'show only this · all'],
      ['Shift Q, digit', 'give it a quick key'],
      ['e · Del', 'edit · delete'],
      ['Shift P · A · C', 'draw a path · an area · a circle'],
      ['Alt M · A', 'in the form: mend · move to the address'],
    ],
  ],
  [
    'A path or an area in edit',
    [
      ['. · ,', 'next vertex · previous'],
      ['Alt, arrows', 'move it, farther with Shift'],
      ['Del · Ins', 'delete it · continue drawing'],
      ['Shift X · O', 'split there · a hole'],
      ['space', 'a vertex in the middle of the map'],
      ['Enter', 'finish drawing'],
      ['u', 'undo the last step'],
    ],
  ],
  [
    'Journey',
    [
      ['t', 'on foot, by bicycle, by car'],
      ['f', 'fit the way'],
      ['r', 'reverse it'],
    ],
  ],
]
</script>

<template>
  <Dialog :open="open" class="relative z-50" @close="open = false">
    <div class="bg-ink/40 fixed inset-0" aria-hidden="true" />
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
          <section v-for="[title, keys] in groups" :key="title" class="mb-3 break-inside-avoid">
            <h3 class="font-serif italic">{{ title }}</h3>
            <dl class="grid grid-cols-[7rem_1fr] gap-x-2 leading-snug">
              <template v-for="[key, what] in keys" :key="key"
                ><dt class="font-medium">{{ key }}</dt>
                <dd>{{ what }}</dd></template
              >
            </dl>
          </section>
        </div>
      </DialogPanel>
    </div>
  </Dialog>
</template>
