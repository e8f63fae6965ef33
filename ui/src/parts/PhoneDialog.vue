<script setup lang="ts">
// Opens the page on a phone of the same network: a link that signs in once, as a QR code.
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/vue'
import { computed, ref, watch } from 'vue'
import { api, unwrap } from '../api/client'
import { copy } from '../desk/acts'

const open = defineModel<boolean>({ required: true })
const link = ref<Awaited<ReturnType<typeof invite>> | null>(null)
const trouble = ref('')
const invite = () => unwrap(api.POST('/session/phone'))

async function ask(): Promise<void> {
  link.value = null
  trouble.value = ''
  try {
    link.value = await invite()
  } catch (e) {
    trouble.value = e instanceof Error ? e.message : String(e)
  }
}
watch(open, (is) => is && void ask(), { immediate: true })
const picture = computed(() => link.value && `data:image/svg+xml,${encodeURIComponent(link.value.qr_svg)}`)
const until = computed(() => link.value && new Date(link.value.expires_at).toLocaleTimeString('en-GB').slice(0, 5))
</script>

<template>
  <Dialog :open="open" class="relative z-50" @close="open = false">
    <div class="fixed inset-0 bg-black/50" aria-hidden="true" />
    <div class="fixed inset-0 flex items-center justify-center overflow-y-auto p-4">
      <DialogPanel class="border-ink bg-paper text-ink max-h-full w-full max-w-md overflow-y-auto border px-6 py-4">
        <div class="flex items-baseline">
          <DialogTitle class="flex-1 font-serif text-xl font-bold">On a phone</DialogTitle>
          <button class="act" @click="open = false">Close <span class="key">Esc</span></button>
        </div>
        <template v-if="link">
          <p class="mt-2">
            Point the camera of a phone in the same network at this. It signs in once, until {{ until }}.
          </p>
          <img :src="picture!" alt="QR code of the link" class="mx-auto my-3 w-64" data-test="qr" />
          <p class="flex items-baseline gap-2">
            <span class="min-w-0 flex-1 truncate" data-test="phone-link">{{ link.url }}</span>
            <button class="act" @click="copy(link.url, 'the link')">Copy</button>
          </p>
          <p class="caption mt-3">
            The certificate is this machine's own, so the phone asks whether to trust it. The authority's SHA-256 is
            <span class="break-all">{{ link.fingerprint }}</span>. Who
            <a class="link" href="/session/authority" download>installs the authority</a> on the phone is not asked
            again.
          </p>
        </template>
        <p v-else-if="trouble" class="mt-2 border-l-2 border-madder pl-3" data-test="phone-trouble">{{ trouble }}</p>
      </DialogPanel>
    </div>
  </Dialog>
</template>
