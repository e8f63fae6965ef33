<script setup lang="ts">
// Whoever opens an invitation learns what it is to before anything is shared, and joins under a name.
import { onMounted, ref } from 'vue'
import { api, unwrap } from '../api/client'

const props = defineProps<{ code: string }>()
const emit = defineEmits<{ joined: [] }>()
const to = ref<{ party?: string; keep_track_s?: number } | null>(null)
const failed = ref('')
const name = ref('')
const busy = ref(false)
const told = (e: unknown) => (failed.value = e instanceof Error ? e.message : String(e))

onMounted(() => {
  unwrap(api.POST('/session/party', { body: { code: props.code } })).then((t) => (to.value = t), told)
})
async function join(): Promise<void> {
  busy.value = true
  failed.value = ''
  try {
    await unwrap(api.POST('/session/party', { body: { code: props.code, name: name.value.trim() } }))
    emit('joined')
  } catch (e) {
    told(e)
  }
  busy.value = false
}
const days = (s: number) => (s < 86_400 ? `${Math.round(s / 3600)} hours` : `${Math.round(s / 86_400)} days`)
</script>

<template>
  <main class="bg-sea flex h-full items-center justify-center p-4">
    <section class="border-ink bg-paper w-full max-w-md border px-6 py-5" aria-labelledby="join-title">
      <p class="font-serif text-xl font-bold">Viandante</p>
      <template v-if="to">
        <h1 id="join-title" class="mt-3 font-serif text-2xl font-bold" data-test="join-title">
          You are invited to “{{ to.party }}”
        </h1>
        <ul class="mt-3 list-disc pl-5 leading-snug">
          <li>You see where the others are, and they see you, once you press <em>Share my position</em>.</li>
          <li>You can stop at any time: your position is forgotten at once.</li>
          <li v-if="to.keep_track_s">Where you have been is kept for {{ days(to.keep_track_s) }}.</li>
          <li v-else>Only where you are last is kept, not where you have been.</li>
        </ul>
        <form class="mt-4 flex items-end gap-2" @submit.prevent="join">
          <label class="caption flex-1"
            >Your name
            <input
              v-model="name"
              class="field text-ink"
              required
              maxlength="100"
              autocomplete="nickname"
              autofocus
              data-test="join-name"
            />
          </label>
          <button class="act-main" :disabled="busy || !name.trim()" data-test="join">Join</button>
        </form>
      </template>
      <h1 v-else id="join-title" class="mt-3 font-serif text-2xl font-bold">
        {{ failed ? 'This invitation does not work' : 'Looking at the invitation …' }}
      </h1>
      <p v-if="failed" class="mt-3 border-l-2 border-madder pl-3" role="alert" data-test="join-failed">{{ failed }}</p>
    </section>
  </main>
</template>
