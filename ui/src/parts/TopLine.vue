<script setup lang="ts">
// One line takes anything: coordinates in any notation, an address, a place, a geo: link.
import { computed, ref, watch } from 'vue'
import type { Feature } from '../api/client'
import { lookAt, select } from '../desk/acts'
import { desk } from '../desk/desk'
import { editing } from '../desk/editing'
import { metres } from '../desk/format'
import { openLinks } from '../desk/onward'
import { positionOf } from '../desk/places'
import { unreadText, useInterpretation } from '../desk/questions'

const text = defineModel<string>({ required: true })
const open = defineModel<boolean>('open', { required: true })
const emit = defineEmits<{ readings: [Feature[]] }>()
const input = ref<HTMLInputElement>()
const active = ref(0)
const { data, error, isFetching } = useInterpretation(text)

const readings = computed(() => (text.value.trim().length > 1 ? (data.value?.features ?? []) : []))
watch(readings, (r) => {
  active.value = 0
  emit('readings', r)
})

/** Why there is nothing: no map to look on, or words that led nowhere. */
const refusal = computed(() => {
  const d = data.value
  if (d?.without_map) return `Only your places were looked through: ${d.without_map}`
  const nearest = d?.nearest?.properties.label
  const lost = d?.unknown?.length ? `${d.unknown.map((w) => `“${w}”`).join(', ')} led nowhere` : ''
  if (nearest) return `Not found. The nearest is ${nearest}${lost && `; ${lost}`}.`
  return `Nothing on this map is called that${lost && `: ${lost}`}. Try a street with a number, or lat, lng.`
})

/** How the first reading was understood, in words. */
const understood = computed(() => {
  if (text.value.trim().length < 2) return ''
  if (error.value) return error.value.message
  const first = readings.value[active.value]
  if (!first && data.value?.unread) return unreadText(data.value.unread)
  if (!first && isFetching.value) return '…'
  if (!first) return refusal.value
  const p = first.properties
  if (p.kind === 'position') return `${p.notation}: ${p.label}${p.accuracy_m ? `, within ${metres(p.accuracy_m)}` : ''}`
  return `${p.kind === 'place' ? 'one of your places' : p.kind}: ${p.label}`
})

function act(f: Feature | undefined): void {
  const at = f && positionOf(f)
  if (!f || !at) return
  open.value = false
  text.value = ''
  input.value?.blur()
  editing.open = false
  if (f.properties.kind === 'place') {
    select(f.id!, true)
    return
  }
  desk.place = null
  desk.spot = {
    ...at,
    name: f.properties.kind === 'position' ? undefined : f.properties.label,
    accuracyM: f.properties.accuracy_m ?? undefined,
  }
  lookAt(at, { locality: 14, district: 12, postcode: 14, street: 16 }[f.properties.kind ?? ''] ?? 17)
}

function onKey(e: KeyboardEvent): void {
  if (e.key === 'ArrowDown' || e.key === 'ArrowUp') {
    e.preventDefault()
    const n = readings.value.length
    if (n) active.value = (active.value + (e.key === 'ArrowDown' ? 1 : n - 1)) % n
  } else if (e.key === 'Enter') {
    const f = readings.value[active.value]
    act(f)
    const at = e.shiftKey && f && positionOf(f)
    if (at) openLinks({ ...at, name: f.properties.kind === 'position' ? undefined : f.properties.label })
  }
  if (e.key === 'Escape') {
    open.value = false
    input.value?.blur()
  }
}

/** What is said where there is nothing to choose from. */
const nothing = computed(() =>
  text.value.trim().length > 1 && !readings.value.length && !isFetching.value && data.value ? understood.value : '',
)

defineExpose({ focus: () => input.value?.focus(), act, active, nothing })
</script>

<template>
  <div class="flex min-w-0 flex-1 items-baseline gap-3">
    <input
      ref="input"
      v-model="text"
      class="field max-w-[30rem] min-w-0 flex-1 text-[17px]"
      type="text"
      placeholder="Coordinates, address, place, geo: link"
      aria-label="Coordinates in any notation, an address, a place or a geo: link"
      role="combobox"
      aria-controls="readings"
      :aria-expanded="open && readings.length > 0"
      :aria-activedescendant="readings.length ? `reading-${active}` : undefined"
      autocomplete="off"
      spellcheck="false"
      maxlength="900"
      data-test="line"
      @focus="open = true"
      @input="open = true"
      @keydown="onKey"
    />
    <p class="caption hidden min-w-0 flex-1 truncate md:block" aria-live="polite" data-test="understood">
      {{ understood || 'press / to write here' }}
    </p>
  </div>
</template>
