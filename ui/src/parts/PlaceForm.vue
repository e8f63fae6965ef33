<script lang="ts">
import { declareKeys } from '../desk/keys'

const keys = declareKeys('In the form', [
  { as: 'Alt M · A', what: 'mend the position · move to the address', on: { 'Alt+m': 'mend', 'Alt+a': 'move' } },
])
</script>

<script setup lang="ts">
// The form of a place, a path or an area, new or in edit. It stands on the page beside the map; the stone or the
// vertices on the map are moved meanwhile.
import { Listbox, ListboxButton, ListboxOption, ListboxOptions } from '@headlessui/vue'
import { computed, onMounted, ref } from 'vue'
import { lookAt } from '../desk/acts'
import { cancel, editing, putAt, save } from '../desk/editing'
import { metres, position } from '../desk/format'
import { attributesOf, categories, categoryById, collections } from '../desk/places'
import { useAgreement } from '../desk/questions'
import AttributeField from './AttributeField.vue'
import ConflictBox from './ConflictBox.vue'
import GlyphMark from './GlyphMark.vue'
import PositionField from './PositionField.vue'
import ShapeField from './ShapeField.vue'

const nameField = ref<HTMLInputElement>()
const positionField = ref<InstanceType<typeof PositionField>>()
const shapeField = ref<InstanceType<typeof ShapeField>>()
onMounted(() => !editing.drawing && nameField.value?.select())

const category = computed(() => categoryById.value.get(editing.draft.category))
const attributes = computed(() => attributesOf(editing.draft.collection).filter((a) => a.name !== 'visible'))
const what = computed(
  () => ({ path: 'path', area: 'area', circle: 'circle', place: 'place' })[editing.draft.outline?.kind ?? 'place'],
)
const hidden = computed({
  get: () => editing.draft.attributes.visible === false,
  set: (v) => (editing.draft.attributes.visible = v ? false : undefined),
})

// When the address or the position was changed and they no longer agree, that is said.
const address = computed(() => String(editing.draft.attributes.address ?? ''))
const changed = computed(() => {
  const before = editing.place
  if (!before) return true
  const was = (before.feature.properties as { address?: string }).address ?? ''
  return (
    was !== address.value || (before.at && position(before.at)) !== (editing.draft.at && position(editing.draft.at))
  )
})
const { data: agreement } = useAgreement(
  computed(() => (changed.value ? editing.draft.at : null)),
  address,
)
const apart = computed(() =>
  changed.value && agreement.value && agreement.value.distanceM > APART_M ? agreement.value : null,
)
const APART_M = 120
function moveThere(): void {
  if (!apart.value) return
  putAt(apart.value.there)
  lookAt(apart.value.there)
}

const mend = () => (editing.draft.outline ? shapeField.value?.mend() : positionField.value?.mend())

/** Enter in the field of the position reads it; what was understood is looked at before it is kept. */
async function submit(): Promise<void> {
  if (editing.draft.outline) return save()
  const reading = positionField.value?.isReading()
  if ((await positionField.value?.read()) && !reading) await save()
}
</script>

<template>
  <form
    class="scroll-pb-14 px-4 pt-3"
    data-test="form"
    @submit.prevent="submit"
    @keydown.esc.stop="cancel"
    @keydown="keys.press($event, { mend, move: moveThere })"
  >
    <h2 class="font-serif text-xl font-bold">
      {{
        editing.place
          ? `Edit ${what}`
          : what === 'place'
            ? 'New place'
            : `Draw ${what === 'area' ? 'an area' : `a ${what}`}`
      }}
    </h2>
    <ConflictBox v-if="editing.theirs !== undefined" />

    <label class="caption mt-2 block"
      >Name
      <input
        ref="nameField"
        v-model="editing.draft.name"
        class="field text-ink text-[17px]"
        required
        maxlength="10000"
        data-test="name"
      />
    </label>
    <ShapeField v-if="editing.draft.outline" ref="shapeField" />
    <div class="grid grid-cols-2 gap-x-4">
      <Listbox v-model="editing.draft.category" as="div" class="relative mt-2">
        <span class="caption">Category</span>
        <ListboxButton class="field flex items-center gap-2 text-left" data-test="category">
          <GlyphMark :category="category" /><span class="min-w-0 truncate">{{ category?.name ?? 'none' }}</span>
        </ListboxButton>
        <ListboxOptions
          class="border-ink bg-card absolute z-10 mt-px max-h-72 w-full min-w-52 overflow-y-auto border focus:outline-none"
        >
          <ListboxOption
            v-for="c in [undefined, ...categories]"
            :key="c?.id ?? ''"
            v-slot="{ active, selected }"
            :value="c?.id ?? ''"
            as="template"
          >
            <li
              class="flex cursor-pointer items-center gap-2 px-2 py-0.5"
              :class="[active ? 'bg-selected' : '', selected ? 'font-bold' : '']"
            >
              <GlyphMark :category="c" />{{ c?.name ?? 'none' }}
            </li>
          </ListboxOption>
        </ListboxOptions>
      </Listbox>
      <label class="caption mt-2 block"
        >Collection
        <select
          v-model="editing.draft.collection"
          class="field text-ink bg-paper h-[33px]"
          :disabled="!!editing.place"
          data-test="collection"
        >
          <option v-for="c in collections" :key="c.id" :value="c.id">{{ c.title }}</option>
        </select>
      </label>
    </div>
    <PositionField v-if="!editing.draft.outline" ref="positionField" />
    <div
      v-if="apart && !editing.draft.outline"
      class="border-madder mt-1 border-l-2 pl-2 text-sm"
      role="alert"
      data-test="apart"
    >
      The address, {{ apart.label }}, lies {{ metres(apart.distanceM) }} from this position.
      <button type="button" class="text-madder underline" data-test="move-there" @click="moveThere">
        Move the place there <span class="key">Alt A</span>
      </button>
      <button
        v-if="apart.here"
        type="button"
        class="ml-2 underline"
        data-test="address-here"
        @click="editing.draft.attributes.address = apart.here"
      >
        Write {{ apart.here }}
      </button>
    </div>
    <label class="caption mt-2 block"
      >Description
      <textarea v-model="editing.draft.description" class="field text-ink resize-y" rows="2" data-test="description" />
    </label>
    <div class="grid grid-cols-2 gap-x-4">
      <AttributeField
        v-for="a in attributes"
        :key="`${editing.draft.collection} ${a.name}`"
        v-model="editing.draft.attributes[a.name]"
        :attribute="a"
        :class="a.type === 'text' ? 'col-span-2' : ''"
      />
    </div>
    <label class="caption mt-2 flex items-center gap-2"
      ><input v-model="hidden" type="checkbox" class="accent-verdigris size-4" data-test="hidden" /> Not drawn on the
      map, only listed</label
    >
    <div class="bg-paper sticky bottom-0 -mx-4 mt-2 flex gap-1.5 px-4 py-2.5">
      <button class="act-main" type="submit" :disabled="editing.busy" data-test="save">
        Save <span class="key">↵</span>
      </button>
      <button class="act" type="button" data-test="cancel" @click="cancel">Cancel <span class="key">Esc</span></button>
    </div>
  </form>
</template>
