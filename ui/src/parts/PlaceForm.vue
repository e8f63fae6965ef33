<script setup lang="ts">
// The form of a place, new or in edit. It stands on the page beside the map; the stone on the map is moved meanwhile.
import { Listbox, ListboxButton, ListboxOption, ListboxOptions } from '@headlessui/vue'
import { computed, onMounted, ref, watch } from 'vue'
import { Refusal, api, unwrap } from '../api/client'
import { drop, editing, keepMine, save, takeTheirs } from '../desk/editing'
import { bearing, metres, position, readPosition, shortPosition } from '../desk/format'
import { attributesOf, categories, categoryById, positionOf } from '../desk/places'
import { useDoubts, useMeasure } from '../desk/questions'
import { lookAt } from '../desk/acts'
import AttributeField from './AttributeField.vue'
import GlyphMark from './GlyphMark.vue'

const nameField = ref<HTMLInputElement>()
const positionField = ref<HTMLInputElement>()
const typed = ref('')
const wrong = ref('')
onMounted(() => nameField.value?.select())
watch(
  () => editing.draft.at,
  (at) => {
    typed.value = at ? position(at) : ''
    wrong.value = ''
  },
  { immediate: true },
)

/** Coordinates in any notation; the server reads them, so that there is one reading for all. */
async function readTyped(): Promise<void> {
  const text = typed.value.trim()
  if (!text) {
    editing.draft.at = null
    return
  }
  try {
    const found = await unwrap(api.GET('/v1/interpret', { params: { query: { q: text, limit: 1 } } }))
    const first = found.features[0]
    const at = first && positionOf(first)
    if (!at || first.properties.kind !== 'position') throw new Refusal(400, { detail: 'This does not read as coordinates: lat, lng in degrees.' })
    if (!editing.draft.at || position(at) !== position(editing.draft.at)) {
      editing.draft.at = at
      lookAt(at)
    }
    wrong.value = ''
  } catch (e) {
    wrong.value = e instanceof Error ? e.message : String(e)
  }
}

const before = computed(() => editing.place?.at ?? null)
const { data: shift } = useMeasure(before, computed(() => editing.draft.at))
const moved = computed(() => before.value && editing.draft.at && position(before.value) !== position(editing.draft.at))
const category = computed(() => categoryById.value.get(editing.draft.category))

const attributes = computed(() => attributesOf(editing.place?.collection))
const { data: doubts } = useDoubts(computed(() => editing.draft.at))

/** One key mends what looks mistyped; 0,0 is a position that is not known. */
function mend(to: string): void {
  editing.draft.at = readPosition(to)
  if (editing.draft.at) lookAt(editing.draft.at)
}

/** What the last of the written decimals is worth. */
const worth = computed(() => {
  const decimals = Math.max(...[...typed.value.matchAll(/\d+[.,](\d+)/g)].map((m) => m[1]!.length))
  if (!Number.isFinite(decimals)) return ''
  const m = 111_320 / 10 ** decimals
  return `${decimals} decimals: to ${m >= 1 ? metres(m) : m >= 0.01 ? `${Math.round(m * 100)} cm` : 'a millimetre or so'}`
})

/** Enter in the field of the position reads it; what was understood is looked at before it is kept. */
async function submit(): Promise<void> {
  const reading = document.activeElement === positionField.value
  await readTyped()
  if (!wrong.value && !reading) await save()
}
</script>

<template>
  <form class="px-4 py-3" data-test="form" @submit.prevent="submit" @keydown.esc.stop="drop" @keydown.alt.m.prevent="doubts?.[0] && mend(doubts[0].mend)">
    <h2 class="font-serif text-xl font-bold">{{ editing.place ? 'Edit place' : 'Keep a place' }}</h2>

    <div v-if="editing.theirs !== undefined" class="mt-2 border-l-2 border-madder pl-3" role="alert" data-test="conflict">
      <p class="font-medium">Somebody else was faster.</p>
      <table v-if="editing.theirs" class="mt-1 w-full text-left">
        <thead class="caption">
          <tr><th></th><th class="font-normal">yours</th><th class="font-normal">theirs</th></tr>
        </thead>
        <tbody class="align-top">
          <tr><th class="caption pr-2 font-normal">Name</th><td>{{ editing.draft.name }}</td><td>{{ editing.theirs.name }}</td></tr>
          <tr><th class="caption pr-2 font-normal">Category</th><td>{{ category?.name ?? 'none' }}</td><td>{{ categoryById.get(editing.theirs.category)?.name ?? 'none' }}</td></tr>
          <tr>
            <th class="caption pr-2 font-normal">Position</th>
            <td>{{ editing.draft.at ? shortPosition(editing.draft.at) : '—' }}</td>
            <td>{{ editing.theirs.at ? shortPosition(editing.theirs.at) : '—' }}</td>
          </tr>
          <tr><th class="caption pr-2 font-normal">Text</th><td>{{ editing.draft.description }}</td><td>{{ editing.theirs.feature.properties.description }}</td></tr>
        </tbody>
      </table>
      <p v-else>They deleted this place.</p>
      <div class="mt-2 flex gap-1.5">
        <button type="button" class="act" data-test="keep-mine" @click="keepMine">Keep mine</button>
        <button type="button" class="act" data-test="take-theirs" @click="takeTheirs">Take theirs</button>
      </div>
    </div>

    <label class="caption mt-2 block">Name
      <input ref="nameField" v-model="editing.draft.name" class="field text-ink text-[17px]" required maxlength="10000" data-test="name" />
    </label>
    <Listbox v-model="editing.draft.category" as="div" class="relative mt-2">
      <span class="caption">Category</span>
      <ListboxButton class="field flex items-center gap-2 text-left" data-test="category">
        <GlyphMark :category="category" />{{ category?.name ?? 'none' }}
      </ListboxButton>
      <ListboxOptions class="border-ink bg-card absolute z-10 mt-px w-full border focus:outline-none">
        <ListboxOption v-for="c in [undefined, ...categories]" :key="c?.id ?? ''" v-slot="{ active, selected }" :value="c?.id ?? ''" as="template">
          <li class="flex cursor-pointer items-center gap-2 px-2 py-0.5" :class="[active ? 'bg-ink/10' : '', selected ? 'font-bold' : '']"><GlyphMark :category="c" />{{ c?.name ?? 'none' }}</li>
        </ListboxOption>
      </ListboxOptions>
    </Listbox>
    <label class="caption mt-2 block">Position, lat, lng — drag the stone, click the map, or write <span v-if="worth" class="float-right" data-test="worth">{{ worth }}</span>
      <input v-model="typed" class="field text-ink" autocomplete="off" spellcheck="false" :aria-invalid="!!wrong" ref="positionField" data-test="position" @change="readTyped" />
    </label>
    <p v-if="wrong" class="text-madder text-sm" role="alert">{{ wrong }}</p>
    <p v-else-if="moved && shift" class="caption" data-test="shift">
      was {{ shortPosition(before!) }}, moved {{ metres(shift.distance_m) }} towards {{ bearing(shift.initial_bearing_deg) }}
      <button type="button" class="text-madder underline" @click="editing.draft.at = { ...before! }">put back</button>
    </p>
    <div v-for="d in doubts" :key="d.reason" class="border-madder mt-1 border-l-2 pl-2 text-sm" role="alert" data-test="doubt">
      {{ d.reason }}.
      <button type="button" class="text-madder underline" data-test="mend" @click="mend(d.mend)">{{ d.what }} <span class="key">Alt M</span></button>
    </div>
    <label class="caption mt-2 block">Description
      <textarea v-model="editing.draft.description" class="field text-ink resize-y" rows="2" data-test="description" />
    </label>
    <div class="grid grid-cols-2 gap-x-4">
      <AttributeField v-for="a in attributes" :key="a.name" v-model="editing.draft.attributes[a.name]" :attribute="a" :class="a.type === 'text' ? 'col-span-2' : ''" />
    </div>
    <div class="mt-3 flex gap-1.5">
      <button class="act-main" type="submit" :disabled="editing.busy" data-test="save">{{ editing.place ? 'Save' : 'Keep' }} <span class="key">↵</span></button>
      <button class="act" type="button" @click="drop">Drop <span class="key">Esc</span></button>
    </div>
  </form>
</template>
