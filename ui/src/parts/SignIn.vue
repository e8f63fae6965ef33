<script setup lang="ts">
import { ref } from 'vue'

const props = defineProps<{ demo: boolean; enter: (token?: string) => Promise<void>; failed: string }>()
const token = ref('')
const wrong = ref(props.failed)
const busy = ref(false)

async function go(t?: string): Promise<void> {
  busy.value = true
  wrong.value = ''
  try {
    await props.enter(t)
  } catch (e) {
    wrong.value = e instanceof Error ? e.message : String(e)
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <main class="flex h-full items-center justify-center overflow-y-auto p-6">
    <div class="border-ink bg-card w-full max-w-md border p-7">
      <h1 class="font-serif text-3xl font-bold">Viandante</h1>
      <p class="mt-1">Places, addresses, distances and ways, on your own machine.</p>
      <template v-if="demo">
        <button class="act-main mt-5 px-4 py-1.5 text-lg" :disabled="busy" data-test="enter-demo" @click="go()">
          Open the demo island
        </button>
        <p class="caption mt-1.5">No token is needed on this machine. Everything on the island is made up.</p>
      </template>
      <form class="mt-5" @submit.prevent="go(token.trim())">
        <label class="caption block"
          >{{ demo ? 'Or a token of another workspace' : 'A token of your workspace' }}
          <input
            v-model="token"
            class="field text-ink"
            type="password"
            autocomplete="current-password"
            required
            maxlength="200"
          />
        </label>
        <button class="act mt-2" :disabled="busy">Sign in</button>
      </form>
      <p v-if="wrong" class="text-madder mt-3" role="alert">{{ wrong }}</p>
    </div>
  </main>
</template>
