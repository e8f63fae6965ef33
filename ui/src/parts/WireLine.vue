<script setup lang="ts">
// The wire: the HTTP exchange behind what is on screen, folded to one line until wanted, ready to copy into an app as
// code in eight languages.
import { useLocalStorage } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { wire, type Exchange } from '../api/client'
import { copy } from '../desk/acts'
import { complain } from '../desk/notice'

const open = defineModel<boolean>({ required: true })
const chosen = ref<Exchange | null>(null)
const shown = computed(() => chosen.value ?? wire.value[0] ?? null)
/** The answer comes a moment after the exchange itself; reading the list makes this follow it. */
const answer = computed(() => (wire.value.length && shown.value ? pretty(shown.value.answer) : ''))
const LANGUAGES = {
  curl: 'curl',
  javascript: 'JavaScript',
  typescript: 'TypeScript',
  swift: 'Swift',
  kotlin: 'Kotlin',
  dart: 'Dart',
  python: 'Python',
  go: 'Go',
}
type Language = keyof typeof LANGUAGES
const language = useLocalStorage<Language>('viandante-language', 'curl')
const view = ref<'answer' | 'code'>('answer')
const code = ref<Record<string, string>>({})

/** Asked aside: what the page does to show itself is not what is on the wire. */
async function codeOf(e: Exchange): Promise<Record<string, string>> {
  const asked = await fetch('/v1/code', {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({
      method: e.method,
      path: e.path,
      body: e.request || undefined,
      content_type: e.contentType || undefined,
      if_match: e.ifMatch || undefined,
    }),
  })
  if (!asked.ok) throw new Error('The request cannot be written as code.')
  const { code: all } = (await asked.json()) as { code: { id: string; code: string }[] }
  return Object.fromEntries(all.map((one) => [one.id, one.code]))
}
watch([shown, view, open], () => {
  if (open.value && view.value === 'code' && shown.value) codeOf(shown.value).then((c) => (code.value = c), complain)
})
async function copyCode(): Promise<void> {
  const e = shown.value
  if (e) await copy((await codeOf(e))[language.value] ?? '', 'the request')
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
      <template v-if="shown">
        <button
          class="text-slate hover:text-ink hidden whitespace-nowrap underline sm:block"
          data-test="copy-code"
          @click="copyCode().catch(complain)"
        >
          copy as
        </button>
        <select
          v-model="language"
          class="pick text-slate hidden text-sm sm:block"
          aria-label="Language"
          data-test="language"
        >
          <option v-for="(title, id) in LANGUAGES" :key="id" :value="id">{{ title }}</option>
        </select>
      </template>
    </div>
    <div
      v-if="open && shown"
      class="border-rule grid h-[min(16rem,40vh)] grid-cols-1 border-t sm:grid-cols-[18rem_1fr]"
    >
      <ol class="ruled border-rule overflow-y-auto border-r max-sm:hidden">
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
      <div class="flex min-h-0 flex-col">
        <p class="flex items-baseline gap-3 px-3 py-0.5" role="tablist">
          <button
            v-for="(title, id) in { answer: 'Answer', code: 'Code' }"
            :key="id"
            role="tab"
            class="border-b-2"
            :class="view === id ? 'border-madder font-medium' : 'text-slate border-transparent'"
            :aria-selected="view === id"
            :data-test="`wire-${id}`"
            @click="view = id"
          >
            {{ title }}
          </button>
          <select
            v-if="view === 'code'"
            v-model="language"
            class="pick text-sm"
            aria-label="Language of the code"
            data-test="code-language"
          >
            <option v-for="(title, id) in LANGUAGES" :key="id" :value="id">{{ title }}</option>
          </select>
          <button v-if="view === 'code'" class="link ml-auto" @click="copyCode().catch(complain)">Copy</button>
        </p>
        <pre
          class="min-h-0 flex-1 overflow-auto px-3 py-1 text-[13px] leading-snug whitespace-pre-wrap"
          data-test="wire-text"
          >{{ view === 'answer' ? answer : (code[language] ?? '') }}</pre>
      </div>
    </div>
  </div>
</template>
