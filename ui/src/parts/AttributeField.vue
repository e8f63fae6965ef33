<script setup lang="ts">
// A field for an attribute, by its type.
import type { Attribute } from '../api/client'

const props = defineProps<{ attribute: Attribute }>()
const value = defineModel<unknown>()
const TYPES: Record<string, string> = { url: 'url', telephone: 'tel', date: 'date' }
const title = props.attribute.title || props.attribute.name

function number(text: string): void {
  const v = Number(text.replace(',', '.'))
  value.value = text.trim() === '' ? null : Number.isFinite(v) ? v : text
}
</script>

<template>
  <label v-if="attribute.type === 'boolean'" class="mt-2 flex items-center gap-2">
    <input
      type="checkbox"
      class="accent-verdigris size-4"
      :checked="value === true"
      :data-test="`attribute-${attribute.name}`"
      @change="value = ($event.target as HTMLInputElement).checked"
    />
    <span class="caption">{{ title }}</span>
  </label>
  <label v-else class="caption mt-2 block"
    >{{ title }}{{ attribute.required ? ' *' : '' }}
    <select
      v-if="attribute.type === 'choice'"
      class="field text-ink bg-paper"
      :required="attribute.required"
      :value="value ?? ''"
      :data-test="`attribute-${attribute.name}`"
      @change="value = ($event.target as HTMLSelectElement).value"
    >
      <option value="">—</option>
      <option v-for="o in attribute.options" :key="o" :value="o">{{ o }}</option>
    </select>
    <input
      v-else-if="attribute.type === 'number'"
      class="field text-ink"
      inputmode="decimal"
      :required="attribute.required"
      :value="value ?? ''"
      :data-test="`attribute-${attribute.name}`"
      @change="number(($event.target as HTMLInputElement).value)"
    />
    <input
      v-else
      class="field text-ink"
      :type="TYPES[attribute.type] ?? 'text'"
      :required="attribute.required"
      :value="value ?? ''"
      :data-test="`attribute-${attribute.name}`"
      @input="value = ($event.target as HTMLInputElement).value"
    />
  </label>
</template>
