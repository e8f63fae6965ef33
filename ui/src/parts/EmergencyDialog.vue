<script setup lang="ts">
// In need: whom to call, and the position to read out, with how well it is known and the nearest address.
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/vue'
import { computed, reactive, ref, toRef, watch } from 'vue'
import { api, unwrap } from '../api/client'
import type { LatLng } from '../chart/camera'
import { copy } from '../desk/acts'
import { desk } from '../desk/desk'
import { ageMs, ageWords, answer, device, remedies, startDevice, tracking } from '../desk/device'
import { bearing, metres, position, sexagesimal } from '../desk/format'
import { emergency } from '../desk/kept'
import { complain } from '../desk/notice'
import { guest } from '../desk/party'
import { useAddress } from '../desk/questions'
import { readAgain } from '../desk/server'
import { roughBearing } from '../chart/geodesic'

const open = defineModel<boolean>({ required: true })
/** Where one is: the device, else where one stands on the map. */
const at = computed(() => (device.fix ? device.fix.at : desk.standpoint))
const { data: address } = useAddress(toRef(() => (open.value ? at.value : null)))
const near = computed(() => address.value?.properties)
const known = computed(() => {
  if (device.fix) return `± ${metres(device.fix.accuracyM)}, ${ageWords(ageMs.value ?? 0)}`
  return desk.standpoint ? 'the standpoint on the map; the device is not asked yet' : ''
})
const towards = computed(() => {
  const a = address.value?.geometry
  if (!at.value || a?.type !== 'Point') return ''
  const [lng, lat] = a.coordinates as number[]
  return bearing(roughBearing({ lat: lat!, lng: lng! }, at.value)).slice(5)
})
const side = (v: number, letters: [string, string]) => `${Math.abs(v).toFixed(5)} ${letters[v < 0 ? 1 : 0]}`
const words = (p: LatLng) => `${side(p.lat, ['north', 'south'])}, ${side(p.lng, ['east', 'west'])}`
const number = computed(() => (emergency.value?.telephone ?? '').replace(/[^+\d*#]/g, ''))
watch(open, (is) => is && !device.on && void startDevice('to say where you are').catch(complain))

const editing = ref(false)
const draft = reactive({ name: '', telephone: '', note: '' })
function edit(): void {
  Object.assign(draft, { name: '', telephone: '', note: '' }, emergency.value)
  editing.value = true
}
async function save(): Promise<void> {
  await unwrap(
    api.PUT('/v1/emergency', {
      params: { header: emergency.value ? { 'If-Match': '*' } : { 'If-None-Match': '*' } },
      body: { name: draft.name.trim(), telephone: draft.telephone.trim(), note: draft.note.trim() || undefined },
    }),
  )
  await readAgain(['emergency'])
  editing.value = false
}
</script>

<template>
  <Dialog :open="open" class="relative z-50" @close="open = false">
    <div class="fixed inset-0 bg-black/55" aria-hidden="true" />
    <div class="fixed inset-0 flex items-center justify-center overflow-y-auto p-3">
      <DialogPanel
        class="border-madder bg-paper text-ink max-h-full w-full max-w-lg overflow-y-auto border-4 px-5 py-4"
        data-test="emergency"
      >
        <div class="flex items-baseline gap-2">
          <DialogTitle class="flex-1 font-serif text-2xl font-bold">Emergency</DialogTitle>
          <button class="act" @click="open = false">Close <span class="key">Esc</span></button>
        </div>
        <template v-if="!editing">
          <p v-if="emergency" class="mt-3">
            <a
              class="bg-madder text-paper block px-4 py-3 text-center text-xl font-bold"
              :href="`tel:${number}`"
              data-test="call"
              >Call {{ emergency.name }}<span class="block text-base font-medium">{{ emergency.telephone }}</span></a
            >
          </p>
          <p v-else class="mt-3 border-l-2 border-madder pl-3">Nobody to call is named yet.</p>
          <h2 class="caption mt-4">Read this out</h2>
          <template v-if="at">
            <p class="font-serif text-2xl leading-tight font-bold" data-test="read-out">{{ words(at) }}</p>
            <p class="mt-0.5">{{ sexagesimal(at) }}</p>
            <p class="text-madder mt-0.5 font-medium" data-test="read-accuracy">{{ known }}</p>
            <p v-if="near?.label" class="mt-1 text-lg" data-test="read-address">
              {{ metres(near.distance_m ?? 0) }} {{ towards }} of {{ near.label }}
            </p>
          </template>
          <p v-else class="mt-1">Where you are is not known yet. Allow the position, or stand somewhere on the map.</p>
          <p v-if="tracking === 'asking'" class="mt-2 flex items-center gap-2">
            <span class="flex-1">The browser will ask for your position, to show it here.</span>
            <button class="act-main" data-test="emergency-locate" @click="answer(true)">Go on</button>
          </p>
          <p v-else-if="device.trouble && !device.fix" class="mt-2">{{ remedies[device.trouble] }}</p>
          <p v-if="emergency?.note" class="mt-3 border-l-2 border-ochre pl-3">{{ emergency.note }}</p>
          <p class="mt-4 flex flex-wrap gap-1">
            <button v-if="at" class="act" @click="copy(`geo:${position(at)}`, 'the position')">Copy position</button>
            <button v-if="!guest" class="act" data-test="edit-contact" @click="edit">
              {{ emergency ? 'Change the contact' : 'Name a contact' }}
            </button>
          </p>
        </template>
        <form v-else class="mt-3 grid gap-2" @submit.prevent="save().catch(complain)">
          <label class="caption"
            >Who
            <input v-model="draft.name" class="field text-ink" required maxlength="100" data-test="contact-name" />
          </label>
          <label class="caption"
            >Telephone
            <input
              v-model="draft.telephone"
              class="field text-ink"
              type="tel"
              required
              maxlength="32"
              placeholder="+999 40 112"
              data-test="contact-telephone"
            />
          </label>
          <label class="caption"
            >What to say
            <input v-model="draft.note" class="field text-ink" maxlength="1000" />
          </label>
          <p class="flex gap-1">
            <button class="act-main" data-test="save-contact">Save</button>
            <button type="button" class="act" @click="editing = false">Cancel</button>
          </p>
        </form>
      </DialogPanel>
    </div>
  </Dialog>
</template>
