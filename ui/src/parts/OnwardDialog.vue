<script setup lang="ts">
// Opens what is in hand in another app: what for, in which app, with the link as it is; or as text, QR code, or through
// the device's menu for sharing. Apps of one's own are templates, checked and shown while they are written.
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/vue'
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import { computed, reactive, ref, watch } from 'vue'
import type { LinkTemplate } from '../api/client'
import { copy } from '../desk/acts'
import { MODES, desk } from '../desk/desk'
import { deleteLinkTemplate, linkTemplates, putLinkTemplate } from '../desk/kept'
import { complain } from '../desk/notice'
import {
  INTENTS,
  canSend,
  links,
  linksTo,
  platform,
  previewOf,
  send,
  tryOut,
  type Intent,
  type Platform,
} from '../desk/onward'

const TITLES: Record<Intent, string> = {
  show: 'Show it',
  search: 'Search for it',
  route: 'The way there',
  begin: 'Begin guidance',
}
const PLATFORMS: Record<Platform, string> = { android: 'Android', ios: 'iOS', desktop: 'a desktop' }

const { data, error } = useQuery({
  queryKey: computed(() => ['onward', { ...links.goal }, links.intent, links.by, links.fromHere, linkTemplates.value]),
  enabled: computed(() => !!links.goal),
  placeholderData: keepPreviousData,
  queryFn: () => linksTo(links.goal!, links.intent),
})
const list = computed(() => data.value?.links ?? [])
const chosen = ref(0)
watch([() => links.goal, () => links.intent], () => (chosen.value = 0))
const link = computed(() => list.value[Math.min(chosen.value, list.value.length - 1)])
const qr = ref(false)
const title = computed(() => links.goal?.name ?? (links.goal?.lat !== undefined ? 'this spot' : ''))
const isWay = computed(() => links.intent === 'route' || links.intent === 'begin')
const webby = (url: string) => /^https?:/i.test(url)

function close(): void {
  links.goal = null
  editing.open = false
  qr.value = false
}

// Templates of one's own.
const editing = reactive({
  open: false,
  id: '',
  name: '',
  templates: {} as Record<Intent, string>,
  isDefault: false,
})
function edit(t?: LinkTemplate): void {
  Object.assign(editing, {
    open: true,
    id: t?.id ?? '',
    name: t?.name ?? '',
    templates: Object.fromEntries(INTENTS.map((i) => [i, t?.templates[i] ?? ''])),
    isDefault: t?.default_on?.includes(platform) ?? false,
  })
}
const before = computed(() => linkTemplates.value.find((t) => t.id === editing.id))
const written = computed(() => editing.templates[links.intent]?.trim() ?? '')
const settled = refDebounced(written, 200)
const preview = useQuery({
  queryKey: computed(() => [
    'onward-preview',
    settled.value,
    links.intent,
    links.by,
    links.fromHere,
    { ...links.goal },
  ]),
  enabled: computed(() => editing.open && !!settled.value && !!links.goal),
  retry: false,
  queryFn: () => previewOf({ templates: { [links.intent]: settled.value } }, links.goal!, links.intent),
})
const kept = (t: Record<Intent, string>) =>
  Object.fromEntries(Object.entries(t).flatMap(([i, v]) => (v.trim() ? [[i, v.trim()]] : [])))
async function save(): Promise<void> {
  const old = before.value
  const others = (old?.default_on ?? []).filter((p) => p !== platform)
  await putLinkTemplate(
    {
      name: editing.name.trim(),
      templates: kept(editing.templates),
      platforms: old?.platforms,
      words: old?.words,
      default_on: editing.isDefault ? [...others, platform] : others,
    },
    old,
  )
  editing.open = false
}
const VARIABLES = 'lat lng u name address text q from_lat from_lng from_name mode zoom intent id url'.split(' ')
</script>

<template>
  <Dialog :open="!!links.goal" class="relative z-50" @close="close">
    <div class="fixed inset-0 bg-black/50" aria-hidden="true" />
    <div class="fixed inset-0 flex items-center justify-center overflow-y-auto p-3">
      <DialogPanel
        class="border-ink bg-paper text-ink max-h-full w-full max-w-xl overflow-y-auto border px-5 py-3.5"
        data-test="onward"
      >
        <div class="flex items-baseline gap-2">
          <DialogTitle class="min-w-0 flex-1 truncate font-serif text-xl font-bold">Open {{ title }} in …</DialogTitle>
          <button class="act" data-test="close-onward" @click="close">Close <span class="key">Esc</span></button>
        </div>
        <div class="mt-2 flex flex-wrap gap-1" role="radiogroup" aria-label="What for">
          <button
            v-for="i in INTENTS"
            :key="i"
            role="radio"
            :aria-checked="links.intent === i"
            :class="links.intent === i ? 'act-main' : 'act'"
            :data-test="`intent-${i}`"
            @click="links.intent = i"
          >
            {{ TITLES[i] }}
          </button>
        </div>
        <p v-if="isWay" class="mt-2 flex flex-wrap items-baseline gap-x-4 gap-y-1">
          <label class="caption"
            >by
            <select v-model="links.by" class="pick text-ink" data-test="onward-by">
              <option v-for="m in MODES" :key="m" :value="m">{{ m }}</option>
            </select>
          </label>
          <label v-if="desk.standpoint" class="flex items-center gap-1.5"
            ><input v-model="links.fromHere" type="checkbox" data-test="from-here" /> from
            {{ desk.standpoint.name ?? 'the standpoint' }}</label
          >
        </p>
        <p v-if="error" class="mt-3 border-l-2 border-madder pl-3">{{ error.message }}</p>
        <ul class="ruled border-rule mt-2.5 border-t" role="radiogroup" aria-label="In which app" data-test="apps">
          <li v-for="(l, i) in list" :key="`${l.template} ${l.app}`" :class="l === link ? 'bg-selected' : ''">
            <div class="flex items-baseline gap-2 px-2 py-1">
              <button
                class="min-w-0 flex-1 text-left"
                role="radio"
                :aria-checked="l === link"
                :data-app="l.app"
                @click="chosen = i"
              >
                {{ l.app
                }}<span v-if="l.default" class="caption"> · taken by default on {{ PLATFORMS[platform] }}</span>
              </button>
              <button
                v-if="l.template"
                class="link"
                :data-test="`edit-link-${i}`"
                @click="edit(linkTemplates.find((t) => t.id === l.template))"
              >
                Edit
              </button>
            </div>
          </li>
        </ul>
        <p v-if="data && !list.length" class="caption mt-2">No app that is known here does that: add one below.</p>
        <template v-if="link">
          <p class="bg-card border-rule mt-2 border px-2 py-1 text-[15px] wrap-anywhere" data-test="onward-link">
            {{ link.url }}
          </p>
          <p class="mt-2 flex flex-wrap gap-1">
            <a
              class="act-main"
              :href="link.url"
              :target="webby(link.url) ? '_blank' : undefined"
              rel="noopener noreferrer"
              data-test="open-link"
              >Open</a
            >
            <button class="act" data-test="copy-link" @click="copy(link.url, 'the link')">Copy link</button>
            <button class="act" data-test="copy-text" @click="copy(data!.text, 'the text')">Copy as text</button>
            <button
              v-if="canSend"
              class="act"
              data-test="send"
              @click="send({ title, text: data!.text, url: link.url })"
            >
              Send …
            </button>
            <button class="act" :aria-expanded="qr" data-test="show-qr" @click="qr = !qr">QR code</button>
            <a class="act" :href="tryOut(link.url)" target="_blank" rel="noopener noreferrer" data-test="try-link"
              >Try</a
            >
          </p>
          <img
            v-if="qr"
            :src="`/v1/qr?text=${encodeURIComponent(link.url)}`"
            alt="QR code of the link"
            class="mx-auto mt-3 w-48"
            data-test="onward-qr"
          />
        </template>
        <form
          v-if="editing.open"
          class="border-rule mt-3 border-t pt-2"
          data-test="link-form"
          @submit.prevent="save().catch(complain)"
        >
          <label class="caption"
            >Name of the app
            <input v-model="editing.name" class="field text-ink" required maxlength="100" data-test="link-name" />
          </label>
          <label class="caption mt-1.5 block"
            >Template to {{ TITLES[links.intent].toLowerCase() }}
            <input
              v-model="editing.templates[links.intent]"
              class="field text-ink"
              spellcheck="false"
              placeholder="https://maps.example/at{?lat,lng,name}"
              data-test="link-template"
            />
          </label>
          <p
            class="mt-1 text-[15px] wrap-anywhere"
            :class="preview.data.value?.wrong ? 'border-madder border-l-2 pl-2' : 'text-slate'"
            data-test="link-preview"
          >
            {{ !written ? '' : (preview.data.value?.text ?? '…') }}
          </p>
          <p class="caption mt-1">
            URI templates (RFC 6570). Variables:
            <button
              v-for="v in VARIABLES"
              :key="v"
              type="button"
              class="mr-1 underline"
              @click="editing.templates[links.intent] += `{${v}}`"
            >
              {{ v }}
            </button>
          </p>
          <p class="mt-2 flex flex-wrap items-center gap-1">
            <button class="act-main" :disabled="!editing.name.trim() || !written" data-test="save-link">Save</button>
            <button type="button" class="act" @click="editing.open = false">Cancel</button>
            <button
              v-if="before"
              type="button"
              class="act"
              data-test="delete-link"
              @click="(deleteLinkTemplate(before).catch(complain), (editing.open = false))"
            >
              Delete
            </button>
            <label class="ml-2 flex items-center gap-1.5"
              ><input v-model="editing.isDefault" type="checkbox" /> take it by default on
              {{ PLATFORMS[platform] }}</label
            >
          </p>
        </form>
        <p v-else class="mt-2.5">
          <button class="link -ml-1" data-test="add-link" @click="edit()">Add an app by its link template</button>
        </p>
      </DialogPanel>
    </div>
  </Dialog>
</template>
