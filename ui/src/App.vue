<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'
import { useRouter } from 'vue-router'
import { api, unwrap } from './api/client'
import { readPosition } from './desk/format'
import { followUrl } from './desk/desk'
import { complain } from './desk/notice'
import { forget } from './desk/server'
import DeskPage from './DeskPage.vue'
import SignIn from './parts/SignIn.vue'

// Signing in comes first; everything else asks the server as somebody.
const router = useRouter()
const state = ref<'unknown' | 'out' | 'in'>('unknown')
const demo = ref(false)
const standpoint = ref<string | null>(null)

async function enter(token?: string, code?: string): Promise<void> {
  const s = await unwrap(api.POST('/session', { body: token ? { token } : code ? { code } : {} }))
  state.value = s.signed_in ? 'in' : 'out'
}

const failed = ref('')
// A link that signs in has its code in the fragment; it is used up, and need not stay in the history.
const pairing = location.hash

onMounted(async () => {
  if (pairing) history.replaceState(history.state, '', location.pathname + location.search)
  await router.isReady()
  followUrl(router)
  try {
    const s = await unwrap(api.GET('/session'))
    demo.value = s.demo
    standpoint.value = s.standpoint
    const code = /^#pair=([A-Z2-7]+)$/.exec(pairing)?.[1]
    if (code && !s.signed_in) await enter(undefined, code)
    else state.value = s.signed_in ? 'in' : 'out'
  } catch (e) {
    failed.value = e instanceof Error ? e.message : String(e)
    state.value = 'out'
  }
})

async function leave(): Promise<void> {
  await unwrap(api.DELETE('/session')).catch(complain)
  forget()
  state.value = 'out'
}

const start = computed(() => readPosition(standpoint.value))
</script>

<template>
  <DeskPage v-if="state === 'in'" :demo="start" @leave="leave" />
  <SignIn v-else-if="state === 'out'" :demo="demo" :enter="enter" :failed="failed" />
</template>
