<script setup lang="ts">
// An invitation to a party: a link for one person, as text and as a QR code.
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/vue'
import { computed, onMounted, ref } from 'vue'
import { api, unwrap, type Party } from '../api/client'
import { copy } from '../desk/acts'
import { complain } from '../desk/notice'
import { canSend, send } from '../desk/onward'

const props = defineProps<{ party: Party }>()
const emit = defineEmits<{ close: [] }>()
const lasts = ref('24h')
const invite = () =>
  unwrap(
    api.POST('/v1/parties/{id}/invitations', {
      params: { path: { id: props.party.id } },
      body: { expires_in: lasts.value },
    }),
  )
const link = ref<Awaited<ReturnType<typeof invite>> | null>(null)

async function ask(): Promise<void> {
  link.value = null
  link.value = await invite()
}
onMounted(() => void ask().catch(complain))
const picture = computed(() => link.value && `data:image/svg+xml,${encodeURIComponent(link.value.qr_svg)}`)
const LASTS = { '1h': 'an hour', '24h': 'a day', '168h': 'a week' }
</script>

<template>
  <Dialog open class="relative z-50" @close="emit('close')">
    <div class="fixed inset-0 bg-black/50" aria-hidden="true" />
    <div class="fixed inset-0 flex items-center justify-center overflow-y-auto p-4">
      <DialogPanel class="border-ink bg-paper text-ink max-h-full w-full max-w-md overflow-y-auto border px-6 py-4">
        <div class="flex items-baseline gap-2">
          <DialogTitle class="flex-1 font-serif text-xl font-bold">Invite to “{{ party.name }}”</DialogTitle>
          <button class="act" @click="emit('close')">Close <span class="key">Esc</span></button>
        </div>
        <p class="mt-2">
          One person joins with this link. Whoever joins sees this party and the map, and nothing else that is kept
          here.
        </p>
        <template v-if="link">
          <img :src="picture!" alt="QR code of the link" class="mx-auto my-3 w-52" />
          <p class="flex items-baseline gap-2">
            <span class="min-w-0 flex-1 truncate" data-test="invitation">{{ link.url }}</span>
            <button class="act" @click="copy(link.url, 'the invitation')">Copy</button>
            <button v-if="canSend" class="act" @click="send({ text: `Join ${party.name}`, url: link.url })">
              Send …
            </button>
          </p>
        </template>
        <p class="mt-2 flex items-baseline gap-2">
          <label class="caption flex-1"
            >Open for
            <select v-model="lasts" class="pick text-ink" @change="ask().catch(complain)">
              <option v-for="(title, id) in LASTS" :key="id" :value="id">{{ title }}</option>
            </select>
          </label>
          <button class="act" data-test="another-invitation" @click="ask().catch(complain)">Another link</button>
        </p>
      </DialogPanel>
    </div>
  </Dialog>
</template>
