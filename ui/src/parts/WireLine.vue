<script setup lang="ts">
// The wire: the HTTP exchange behind what is on screen, folded to one line until wanted, ready to copy into an app.
import { computed, ref } from 'vue'
import { wire, type Exchange } from '../api/client'
import { copy } from '../desk/acts'

const open = defineModel<boolean>({ required: true })
const chosen = ref<Exchange | null>(null)
const shown = computed(() => chosen.value ?? wire.value[0] ?? null)
/** The answer comes a moment after the exchange itself; reading the list makes this follow it. */
const answer = computed(() => (wire.value.length && shown.value ? pretty(shown.value.answer) : ''))

function curl(e: Exchange): string {
  const quote = (s: string) => `'${s.replaceAll("'", `'\\''`)}'`
  const parts = ['curl', '-H', '"Authorization: Bearer $TOKEN"']
  if (e.method !== 'GET') parts.push('-X', e.method)
  if (e.request) parts.push('-H', "'Content-Type: application/json'", '-d', quote(e.request))
  return [...parts, quote(location.origin + e.path)].join(' ')
}
function pretty(text: string): string {
  try {
    return JSON.stringify(JSON.parse(text), null, 2).slice(0, 6000)
  } catch {
    return text.slice(0, 6000)
  }
}
</script>

<template>
  <div class="bg-card border-rule border-t text-sm">
    <div class="flex h-7 items-center gap-2 px-3">
      <button
        class="flex min-w-0 flex-1 items-center gap-2 text-left"
        :aria-expanded="open"
        data-test="wire"
        @click="open = !open"
      >
        <span class="text-slate" aria-hidden="true">{{ open ? '▾' : '▸' }}</span>
        <template v-if="shown">
          <span class="font-medium">{{ shown.method }}</span>
          <span class="min-w-0 truncate">{{ decodeURIComponent(shown.path) }}</span>
          <span :class="shown.status < 400 ? 'text-verdigris' : 'text-madder'">{{ shown.status }}</span>
          <span class="text-slate whitespace-nowrap">{{ shown.ms.toFixed(1) }} ms</span>
        </template>
        <span v-else class="text-slate">The wire: nothing sent yet</span>
      </button>
      <button
        v-if="shown"
        class="text-slate hover:text-ink hidden whitespace-nowrap underline sm:block"
        @click="copy(curl(shown), 'the request')"
      >
        copy as curl
      </button>
    </div>
    <div
      v-if="open && shown"
      class="border-rule grid h-[min(14rem,38vh)] grid-cols-1 border-t sm:grid-cols-[18rem_1fr]"
    >
      <ol class="ruled border-rule overflow-y-auto border-r">
        <li v-for="(e, i) in wire" :key="wire.length - i">
          <button
            class="hover:bg-selected flex w-full gap-2 px-3 py-0.5 text-left"
            :class="e === shown ? 'bg-selected' : ''"
            @click="chosen = e"
          >
            <span class="w-12 font-medium">{{ e.method }}</span><span class="min-w-0 flex-1 truncate">{{ e.path }}</span
            ><span :class="e.status < 400 ? 'text-slate' : 'text-madder'">{{ e.status }}</span>
          </button>
        </li>
      </ol>
      <pre class="hidden overflow-auto px-3 py-1 text-[13px] leading-snug whitespace-pre-wrap sm:block">{{
        answer
      }}</pre>
    </div>
  </div>
</template>
