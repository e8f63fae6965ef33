<script setup lang="ts">
// A collection in edit: its title, and the attributes that its features have besides the built-in ones.
import { onMounted, reactive, ref } from 'vue'
import type { Attribute, Collection } from '../api/client'
import { emptyAttribute, saveCollection, slug } from '../desk/kinds'
import { complain } from '../desk/notice'
import { BUILT_IN } from '../desk/places'

const props = defineProps<{ collection: Collection }>()
const emit = defineEmits<{ done: [] }>()
/** Options are written one a line; a name is made from the title as long as the attribute is new. */
const draft = reactive({
  title: props.collection.title,
  description: props.collection.description,
  attributes: (props.collection.attributes ?? []).map((a) => ({
    ...a,
    lines: (a.options ?? []).join('\n'),
    fresh: false,
  })),
})
const titleField = ref<HTMLInputElement>()
const list = ref<HTMLElement>()
const busy = ref(false)
onMounted(() => titleField.value?.select())

const TYPES: Record<Attribute['type'], string> = {
  text: 'text',
  number: 'number',
  boolean: 'true or false',
  choice: 'one of a list',
  date: 'date',
  url: 'web address',
  telephone: 'telephone',
}

function add(): void {
  draft.attributes.push({ ...emptyAttribute(), lines: '', fresh: true })
  setTimeout(() => list.value?.querySelector<HTMLElement>('li:last-child input')?.focus())
}
function move(i: number, by: number): void {
  const k = i + by
  if (k >= 0 && k < draft.attributes.length) draft.attributes.splice(k, 0, ...draft.attributes.splice(i, 1))
}
async function save(): Promise<void> {
  if (busy.value) return
  busy.value = true
  try {
    const taken = new Set([
      ...BUILT_IN.map((a) => a.name),
      ...draft.attributes.filter((a) => !a.fresh).map((a) => a.name),
    ])
    const attributes = draft.attributes.map(({ lines, fresh, ...a }) => {
      let name = a.name
      if (fresh) {
        const base = slug(a.title ?? '', 'attribute')
        name = base
        for (let n = 2; taken.has(name); n++) name = `${base}_${n}`
        taken.add(name)
      }
      const options =
        a.type === 'choice'
          ? lines
              .split('\n')
              .map((o) => o.trim())
              .filter(Boolean)
          : undefined
      return { ...a, name, options }
    })
    await saveCollection({
      id: props.collection.id,
      title: draft.title.trim(),
      description: draft.description,
      attributes,
    })
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
    data-test="collection-editor"
    @submit.prevent="save"
    @keydown.esc.stop="emit('done')"
  >
    <label class="caption block"
      >Title<input
        ref="titleField"
        v-model="draft.title"
        class="field text-ink"
        required
        maxlength="200"
        data-test="collection-title"
    /></label>
    <label class="caption mt-1 block"
      >Description<input v-model="draft.description" class="field text-ink" maxlength="2000"
    /></label>
    <p class="caption mt-2">
      Its features have, besides name, category, description,
      {{ BUILT_IN.map((a) => (a.title || a.name).toLowerCase()).join(', ') }}:
    </p>
    <ul ref="list" class="mt-1">
      <li
        v-for="(a, i) in draft.attributes"
        :key="i"
        class="border-rule border-t py-1"
        :data-test="`attribute-row-${i}`"
      >
        <div class="flex items-baseline gap-1.5">
          <input
            v-model="a.title"
            class="field min-w-0 flex-1 py-0!"
            required
            maxlength="100"
            placeholder="What it is called"
            :aria-label="`Attribute ${i + 1}: title`"
            data-test="attribute-title"
          />
          <select v-model="a.type" class="pick" :aria-label="`Attribute ${i + 1}: type`" data-test="attribute-type">
            <option v-for="(title, type) in TYPES" :key="type" :value="type">{{ title }}</option>
          </select>
          <button
            type="button"
            class="link"
            :aria-label="`Move attribute ${i + 1} up`"
            :disabled="i === 0"
            @click="move(i, -1)"
          >
            ↑
          </button>
          <button
            type="button"
            class="link"
            :aria-label="`Delete attribute ${i + 1}`"
            data-test="attribute-remove"
            @click="draft.attributes.splice(i, 1)"
          >
            ×
          </button>
        </div>
        <textarea
          v-if="a.type === 'choice'"
          v-model="a.lines"
          class="field resize-y text-sm!"
          :rows="Math.min(6, a.lines.split('\n').length + 1)"
          placeholder="one choice a line"
          required
          :aria-label="`Attribute ${i + 1}: choices`"
          data-test="attribute-options"
        />
        <label class="caption flex items-center gap-1.5"
          ><input
            v-model="a.required"
            type="checkbox"
            class="accent-verdigris size-3.5"
            data-test="attribute-required"
          />
          required <span v-if="!a.fresh" class="ml-auto font-mono text-xs">{{ a.name }}</span></label
        >
      </li>
    </ul>
    <div class="mt-1.5 flex flex-wrap gap-1.5">
      <button class="act-main" :disabled="busy" data-test="collection-save">Save <span class="key">↵</span></button>
      <button type="button" class="act" data-test="attribute-add" @click="add">Add an attribute</button>
      <button type="button" class="act" @click="emit('done')">Cancel <span class="key">Esc</span></button>
    </div>
    <p class="caption mt-1">What is saved already stays as it is, and is held to this when it is next changed.</p>
  </form>
</template>
