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

async function enter(token?: string): Promise<void> {
  const s = await unwrap(api.POST('/session', { body: token ? { token } : {} }))
  state.value = s.signed_in ? 'in' : 'out'
}

onMounted(async () => {
  await router.isReady()
  followUrl(router)
  try {
    const s = await unwrap(api.GET('/session'))
    demo.value = s.demo
    standpoint.value = s.standpoint
    state.value = s.signed_in ? 'in' : 'out'
  } catch (e) {
    complain(e)
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
  <SignIn v-else-if="state === 'out'" :demo="demo" :enter="enter" />
</template>
