<script setup lang="ts">
// Every action has a key; this lists them.
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/vue'

const open = defineModel<boolean>({ required: true })
const groups: [string, [string, string][]][] = [
  ['Anywhere', [['/', 'write into the line at the top'], ['a · j', 'the benches Around and Journey'], ['w', 'unfold the wire'], ['n', 'day and night'], ['v', 'views and layers'], ['Shift L', 'the list of everything'], ['. · ,', 'the next of the list · the one before'], ['Shift S', 'collections and categories'], ['q and a digit', 'what has that quick key'], ['1 to 9', 'the saved views'], ['y', 'the next way of drawing the ground'], ['d', 'names beside places: pointed at, always, never'], ['b', 'large lettering'], ['u or Ctrl Z', 'take back'], ['Shift U or Ctrl Shift Z', 'do again'], ['Shift Z', 'the bin'], ['Esc', 'close what is open'], ['?', 'this list']]],
  ['On the map', [['arrows', 'move, faster with Shift'], ['+ −', 'zoom'], ['Shift and drag', 'zoom to a box'], ['Alt and drag', 'turn the map; two fingers do, too'], ['[ ] · 0 or x', 'turn by 15° · north up'], ['p · o', 'copy the position under the pointer · how it is written'], ['i', 'ruler in metres or in feet and miles'], ['Enter', 'select the spot in the middle'], ['m', 'go to the map'], ['h', 'look at the standpoint'], ['f', 'fit what is shown']]],
  ['A spot or a place', [['k', 'keep the spot'], ['Shift K', 'keep a place in the middle of the map'], ['Shift H', 'keep a place where I am'], ['Shift P · A · C', 'draw a path, an area, a circle'], ['s', 'stand here'], ['g', 'go here'], ['c', 'copy the position, written as o has it'], ['z', 'show it alone · show all again'], ['Shift Q and a digit', 'give it a quick key'], ['l', 'look at it'], ['e', 'edit the place'], ['Del', 'delete the place'], ['Alt M', 'in the form: mend a mistyped position, or an outline that crosses itself'], ['Alt A', 'in the form: move it to its address']]],
  ['A path or an area in edit', [['. · ,', 'the next vertex · the one before'], ['Alt and arrows', 'move the vertex, farther with Shift'], ['Del', 'delete it'], ['Ins', 'draw on from it'], ['Shift X', 'cut there'], ['Shift O', 'a hole'], ['space', 'a vertex in the middle of the map'], ['Enter', 'end drawing'], ['u', 'take the last step back']]],
  ['Journey', [['t', 'on foot, by bicycle, by car, in turn'], ['f', 'fit the way'], ['r', 'turn round']]],
]
</script>

<template>
  <Dialog :open="open" class="relative z-50" @close="open = false">
    <div class="bg-ink/40 fixed inset-0" aria-hidden="true" />
    <div class="fixed inset-0 flex items-center justify-center overflow-y-auto p-4">
      <DialogPanel class="border-ink bg-paper text-ink max-h-full w-full max-w-2xl overflow-y-auto border p-5" data-test="keys">
        <DialogTitle class="font-serif text-xl font-bold">Keys</DialogTitle>
        <div class="mt-2 grid gap-x-8 gap-y-3 sm:grid-cols-2">
          <section v-for="[title, keys] in groups" :key="title">
            <h3 class="font-serif italic">{{ title }}</h3>
            <dl class="grid grid-cols-[8.5rem_1fr] gap-x-2">
              <template v-for="[key, what] in keys" :key="key"><dt class="font-medium">{{ key }}</dt><dd>{{ what }}</dd></template>
            </dl>
          </section>
        </div>
        <button class="act mt-3" @click="open = false">Close <span class="key">Esc</span></button>
      </DialogPanel>
    </div>
  </Dialog>
</template>
