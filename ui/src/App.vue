<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'
import { useRouter } from 'vue-router'
import { api, unwrap } from './api/client'
import { readPosition } from './desk/format'
import { desk, followUrl } from './desk/desk'
import { complain } from './desk/notice'
import { guest } from './desk/party'
import { forget } from './desk/server'
import DeskPage from './DeskPage.vue'
import JoinPage from './parts/JoinPage.vue'
import SignIn from './parts/SignIn.vue'

// Signing in comes first; everything else asks the server as somebody.
const router = useRouter()
const state = ref<'unknown' | 'out' | 'in' | 'invited'>('unknown')
const demo = ref(false)
const standpoint = ref<string | null>(null)

interface Session {
  signed_in: boolean
  name?: string
  member?: string
  party?: string
}
function begin(s: Session): void {
  guest.value = s.member && s.party ? { member: s.member, party: s.party, name: s.name ?? '' } : null
  if (guest.value) desk.bench = 'party'
  state.value = s.signed_in ? 'in' : 'out'
}

async function enter(token?: string, code?: string): Promise<void> {
  const s = await unwrap(api.POST('/session', { body: token ? { token } : code ? { code } : {} }))
  begin(s)
}

const failed = ref('')
// A link that signs in has its code in the fragment; it is used up, and need not stay in the history.
const pairing = location.hash
const invitation = /^#invitation=([A-Z2-7]+)$/.exec(pairing)?.[1] ?? ''

onMounted(async () => {
  if (pairing) history.replaceState(history.state, '', location.pathname + location.search)
  await router.isReady()
  followUrl(router)
  try {
    const s = await unwrap(api.GET('/session'))
    demo.value = s.demo
    standpoint.value = s.standpoint
    const code = /^#pair=([A-Z2-7]+)$/.exec(pairing)?.[1]
    // Whoever is signed in already as himself need not be invited; a guest may join another party.
    if (invitation) state.value = 'invited'
    else if (code && !s.signed_in) await enter(undefined, code)
    else begin(s)
  } catch (e) {
    failed.value = e instanceof Error ? e.message : String(e)
    state.value = 'out'
  }
})

/** Whoever has joined an invitation is signed in as a member of its party. */
async function joined(): Promise<void> {
  begin(await unwrap(api.GET('/session')))
}

async function leave(): Promise<void> {
  await unwrap(api.DELETE('/session')).catch(complain)
  forget()
  guest.value = null
  state.value = 'out'
}

const start = computed(() => readPosition(standpoint.value))
</script>

<template>
  <DeskPage v-if="state === 'in'" :demo="start" @leave="leave" />
  <JoinPage v-else-if="state === 'invited'" :code="invitation" @joined="joined().catch(complain)" />
  <SignIn v-else-if="state === 'out'" :demo="demo" :enter="enter" :failed="failed" />
</template>
