<script setup lang="ts">
// A category in edit: its name, its colour, a glyph of our own drawing or a picture of one's own.
import glyphs from '@style/glyphs.json'
import { onMounted, reactive, ref } from 'vue'
import type { Category } from '../api/client'
import { saveCategory } from '../desk/kinds'
import { complain, say } from '../desk/notice'
import { clearBackground, keepPicture, makeSmall } from '../desk/smallpicture'
import GlyphMark from './GlyphMark.vue'

const props = defineProps<{ category: Category }>()
const emit = defineEmits<{ done: [] }>()
const draft = reactive({ ...props.category })
const nameField = ref<HTMLInputElement>()
const file = ref<HTMLInputElement>()
const canvas = ref<HTMLCanvasElement | null>(null)
const busy = ref(false)
onMounted(() => nameField.value?.select())

const NAMES = Object.keys(glyphs).filter((name) => name !== 'about')
const COLOURS = [
  '#2F6F8F',
  '#6B5B3E',
  '#7A4E7E',
  '#8A6D1F',
  '#A8432F',
  '#24705F',
  '#9A4A1E',
  '#8A2F5A',
  '#3F5A86',
  '#5B6770',
]

async function takePicture(list: FileList | null): Promise<void> {
  const one = list?.[0]
  if (!one) return
  try {
    canvas.value = await makeSmall(one)
    draft.picture = await keepPicture(canvas.value)
  } catch (e) {
    complain(e)
  } finally {
    if (file.value) file.value.value = ''
  }
}

/** One key clears a plain background. */
async function clear(): Promise<void> {
  if (!draft.picture) return
  try {
    canvas.value ??= await makeSmall(await (await fetch(`/v1/pictures/${draft.picture}`)).blob())
    if (!clearBackground(canvas.value))
      say('There is no plain background to clear: the picture is transparent at its edge already.')
    else draft.picture = await keepPicture(canvas.value)
  } catch (e) {
    complain(e)
  }
}

async function save(): Promise<void> {
  if (busy.value) return
  busy.value = true
  try {
    await saveCategory({ ...draft })
    emit('done')
  } catch (e) {
    complain(e)
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <form
    class="bg-card border-ink/40 border-l-2 px-4 py-2"
    data-test="category-editor"
    @submit.prevent="save"
    @keydown.esc.stop="emit('done')"
    @keydown.alt.b.prevent="clear"
  >
    <div class="flex items-end gap-3">
      <GlyphMark :category="draft" class="h-12! w-10!" />
      <label class="caption flex-1"
        >Name<input
          ref="nameField"
          v-model="draft.name"
          class="field text-ink"
          required
          maxlength="100"
          data-test="category-name"
      /></label>
    </div>
    <fieldset class="mt-2">
      <legend class="caption">Colour, at the stone's foot</legend>
      <div class="flex flex-wrap items-center gap-1.5">
        <button
          v-for="c in COLOURS"
          :key="c"
          type="button"
          class="size-6 border"
          :class="draft.colour.toUpperCase() === c ? 'border-ink outline-ink outline-2' : 'border-ink/30'"
          :style="{ background: c }"
          :aria-label="c"
          :aria-pressed="draft.colour.toUpperCase() === c"
          @click="draft.colour = c"
        />
        <input
          v-model="draft.colour"
          type="color"
          class="h-7 w-10 cursor-pointer"
          aria-label="Another colour"
          data-test="category-colour"
        />
      </div>
    </fieldset>
    <fieldset class="mt-2">
      <legend class="caption">Glyph</legend>
      <div class="flex flex-wrap gap-1">
        <button
          v-for="name in NAMES"
          :key="name"
          type="button"
          class="border p-0.5"
          :class="
            !draft.picture && draft.glyph === name ? 'border-ink bg-selected' : 'border-transparent hover:bg-ink/8'
          "
          :aria-label="name"
          :aria-pressed="!draft.picture && draft.glyph === name"
          :data-test="`glyph-${name}`"
          @click="((draft.glyph = name), (draft.picture = ''), (canvas = null))"
        >
          <GlyphMark :category="{ ...draft, glyph: name, picture: '' }" />
        </button>
      </div>
    </fieldset>
    <div class="mt-2 flex flex-wrap items-center gap-1.5">
      <button type="button" class="act" data-test="category-picture" @click="file?.click()">
        A picture of your own …
      </button>
      <input
        ref="file"
        type="file"
        class="hidden"
        accept="image/png,image/jpeg,image/svg+xml"
        data-test="category-file"
        @change="takePicture(($event.target as HTMLInputElement).files)"
      />
      <button v-if="draft.picture" type="button" class="act" data-test="category-clear" @click="clear">
        Clear its background <span class="key">Alt B</span>
      </button>
    </div>
    <div class="mt-2 flex gap-1.5">
      <button class="act-main" :disabled="busy" data-test="category-save">Save <span class="key">↵</span></button>
      <button type="button" class="act" @click="emit('done')">Cancel <span class="key">Esc</span></button>
    </div>
  </form>
</template>
