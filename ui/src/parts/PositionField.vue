<script setup lang="ts">
// The position of a place in the form: in one field in any notation, or in two; what it reads as stands beside it, and
// what looks mistyped is mended by one key.
import { useLocalStorage } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { api, unwrap } from '../api/client'
import { lookAt, positionHere } from '../desk/acts'
import { editing, putAt } from '../desk/editing'
import { bearing, metres, position, readPosition, round7, shortPosition } from '../desk/format'
import { complain } from '../desk/notice'
import { positionOf } from '../desk/places'
import { unreadText, useDoubts, useInterpretation, useMeasure } from '../desk/questions'

const two = useLocalStorage('viandante.two-fields', false)
const typed = ref('')
const [lat, lng] = [ref(''), ref('')]
const wrong = ref('')
watch(
  () => editing.draft.at,
  (at) => {
    typed.value = at ? position(at) : ''
    lat.value = at ? String(round7(at.lat)) : ''
    lng.value = at ? String(round7(at.lng)) : ''
    wrong.value = ''
  },
  { immediate: true },
)
/** A decimal comma stands for a point where it cannot be anything else. */
const plain = (v: string) => (/^\s*[-+−]?\d+,\d+\s*$/.test(v) ? v.replace(',', '.') : v).trim()
const text = computed(() =>
  (two.value
    ? /[,;]\s/.test(lat.value)
      ? lat.value
      : lat.value || lng.value
        ? `${plain(lat.value)}, ${plain(lng.value)}`
        : ''
    : typed.value
  ).trim(),
)

/** How what is typed would be read, while it is not read yet. */
const { data: reading, error: failed } = useInterpretation(
  computed(() =>
    (editing.draft.at && text.value === position(editing.draft.at)) || !/\d\D+\d/.test(text.value) ? '' : text.value,
  ),
)
const readAs = computed(() => {
  const first = reading.value?.features[0]
  if (!text.value || (editing.draft.at && text.value.replace(/\s/g, '') === position(editing.draft.at))) return ''
  if (failed.value) return failed.value.message
  if (reading.value?.unread) return unreadText(reading.value.unread)
  return first?.properties.kind === 'position' ? `${first.properties.notation}: ${first.properties.label}` : ''
})

/** Coordinates in any notation; the server reads them, so that there is one reading for all. */
async function read(): Promise<boolean> {
  if (!text.value) {
    if (editing.draft.at) putAt(null)
    return true
  }
  try {
    const found = await unwrap(api.GET('/v1/interpret', { params: { query: { q: text.value, limit: 1 } } }))
    const first = found.features[0]
    if (found.unread) throw new Error(unreadText(found.unread))
    const at = first && positionOf(first)
    if (!at || first.properties.kind !== 'position')
      throw new Error('This does not read as coordinates: lat, lng in degrees.')
    if (!editing.draft.at || position(at) !== position(editing.draft.at)) {
      putAt(at)
      lookAt(at)
    }
    wrong.value = ''
    return true
  } catch (e) {
    wrong.value = e instanceof Error ? e.message : String(e)
    return false
  }
}

const before = computed(() => editing.place?.at ?? null)
const { data: shift } = useMeasure(
  before,
  computed(() => editing.draft.at),
)
const moved = computed(() => before.value && editing.draft.at && position(before.value) !== position(editing.draft.at))
const { data: doubts } = useDoubts(computed(() => editing.draft.at))

/** One key mends what looks mistyped; 0,0 is a position that is not known. */
function mend(to = doubts.value?.[0]?.mend): void {
  if (to === undefined) return
  putAt(readPosition(to))
  if (editing.draft.at) lookAt(editing.draft.at)
}

function here(): void {
  positionHere('to put it where you are').then((p) => {
    putAt({ lat: p.lat, lng: p.lng })
    editing.draft.accuracyM = p.accuracyM
    editing.draft.source = 'device'
    lookAt(p)
  }, complain)
}

/** What the last of the written decimals is worth. */
const worth = computed(() => {
  const decimals = Math.max(...[...text.value.matchAll(/\d+[.,](\d+)/g)].map((m) => m[1]!.length))
  if (!Number.isFinite(decimals)) return ''
  const m = 111_320 / 10 ** decimals
  const small = m >= 0.01 ? `${Math.round(m * 100)} cm` : 'a millimetre or so'
  return `${decimals} decimals: to ${m >= 1 ? metres(m) : small}`
})
const isReading = () => !!document.activeElement?.closest('[data-position]')

defineExpose({ read, mend, isReading })
</script>

<template>
  <div class="mt-2" data-position>
    <p class="caption flex items-baseline gap-2">
      <span class="flex-1">Position — drag the stone, click the map, or write</span>
      <button type="button" class="underline" data-test="two-fields" @click="two = !two">
        {{ two ? 'one field' : 'two fields' }}
      </button>
    </p>
    <div v-if="two" class="grid grid-cols-2 gap-3">
      <input
        v-model="lat"
        class="field"
        aria-label="Latitude"
        placeholder="latitude"
        autocomplete="off"
        spellcheck="false"
        :aria-invalid="!!wrong"
        data-test="lat"
        @change="(lng || /[,;]\s/.test(lat)) && read()"
      />
      <input
        v-model="lng"
        class="field"
        aria-label="Longitude"
        placeholder="longitude"
        autocomplete="off"
        spellcheck="false"
        :aria-invalid="!!wrong"
        data-test="lng"
        @change="lat && read()"
      />
    </div>
    <input
      v-else
      v-model="typed"
      class="field"
      aria-label="Position, lat, lng or any other notation"
      placeholder="lat, lng"
      autocomplete="off"
      spellcheck="false"
      :aria-invalid="!!wrong"
      data-test="position"
      @change="read"
    />
    <p class="caption flex gap-2">
      <span class="min-w-0 flex-1 truncate" aria-live="polite" data-test="read-as">{{ readAs }}</span>
      <span v-if="worth" data-test="worth">{{ worth }}</span>
    </p>
    <p v-if="wrong" class="text-madder text-sm" role="alert">{{ wrong }}</p>
    <p v-else-if="moved && shift" class="caption" data-test="shift">
      was {{ shortPosition(before!) }}, moved {{ metres(shift.distance_m) }} towards
      {{ bearing(shift.initial_bearing_deg) }}
      <button type="button" class="text-madder underline" @click="putAt({ ...before! })">put back</button>
    </p>
    <p v-if="!editing.draft.at" class="caption">
      Not known yet: it is saved all the same, and listed apart.
      <button type="button" class="text-madder underline" data-test="here" @click="here">where I am</button>
    </p>
    <div
      v-for="d in doubts"
      :key="d.reason"
      class="border-madder mt-1 border-l-2 pl-2 text-sm"
      role="alert"
      data-test="doubt"
    >
      {{ d.reason }}.
      <button type="button" class="text-madder underline" data-test="mend" @click="mend(d.mend)">
        {{ d.what }} <span class="key">Alt M</span>
      </button>
    </div>
  </div>
</template>
