<script setup lang="ts">
// The map for a frame in somebody else's page: put together, seen at once, copied as a snippet.
import { computed, onMounted, ref } from 'vue'
import { copy } from '../desk/acts'
import { complain } from '../desk/notice'
import { collections, places } from '../desk/places'
import { desk } from '../desk/desk'
import { embedParts, hasEnded, makeToken, quoted, scene, secrets, tokens, written } from '../desk/publish'
import SceneFields from './SceneFields.vue'

const LANGUAGES = { '': "the viewer's", en: 'English', de: 'Deutsch', fr: 'Français', es: 'Español', it: 'Italiano' }
const origins = ref('')
onMounted(() => {
  scene.collection ||= collections.value[0]?.id ?? ''
})
const usable = computed(() => tokens.value.filter((t) => t.scopes.includes('publish') && !hasEnded(t)))
const chosen = computed(() => usable.value.find((t) => t.id === scene.token) ?? null)
const needed = computed(() =>
  scene.what === 'collection'
    ? [scene.collection]
    : scene.what === 'place' && desk.place
      ? [places.get(desk.place)?.collection ?? '']
      : [collections.value[0]?.id ?? ''],
)
const unfit = computed(() => {
  const t = chosen.value
  if (!t) return 'A publishing token is needed: it shows what its collections hold, and does nothing else.'
  if (scene.what !== 'address' && scene.what !== 'view' && scene.what !== 'way')
    for (const c of needed.value)
      if (t.collections && !t.collections.includes(c)) return `This token is not for the collection ${c}.`
  if (!t.origins.length) return 'This token names no pages: the frame shows in pages of this server only.'
  return ''
})
const key = computed(() => (chosen.value && secrets.get(chosen.value.id)) ?? '')
const address = computed(() => `${location.origin}/embed?${written(embedParts())}#key=${key.value || 'TOKEN'}`)
const preview = computed(() => (key.value ? address.value : ''))
const snippet = computed(
  () =>
    `<iframe src="${quoted(address.value)}" title="${quoted(scene.title || 'Map')}" width="${scene.width}" ` +
    `height="${scene.height}" style="border:0" loading="lazy" referrerpolicy="no-referrer"` +
    `${scene.position ? ' allow="geolocation"' : ''}></iframe>`,
)
/** A template by RFC 6570 that serves every record: a variable that is not given leaves its part out. */
const template = computed(() => {
  const fixed = embedParts().filter(
    ([name]) => !['feature', 'address', 'title', 'collection', 'route', 'by'].includes(name),
  )
  return `${location.origin}/embed?${written(fixed)}{&feature,address,title}#key=${key.value || 'TOKEN'}`
})
async function make(): Promise<void> {
  const t = await makeToken({
    name: `Map in pages: ${scene.title || needed.value.join(', ')}`.slice(0, 100),
    scopes: ['publish'],
    collections: needed.value,
    origins: origins.value.split(/[\s,]+/).filter(Boolean),
    expires_at: null,
    per_minute: 3000,
    per_day: 0,
  })
  scene.token = t.id
}
</script>

<template>
  <div class="flex flex-1 flex-col" data-test="embed-part">
    <SceneFields>
      <span class="caption">Token</span>
      <span class="flex items-baseline gap-2">
        <select v-model="scene.token" class="pick max-w-52!" aria-label="Publishing token" data-test="embed-token">
          <option value="">choose one …</option>
          <option v-for="t in usable" :key="t.id" :value="t.id">{{ t.name }}</option>
        </select>
      </span>
      <label class="caption" for="embed-title">Title</label>
      <input id="embed-title" v-model.lazy="scene.title" class="field" placeholder="for those who do not see it" />
      <span class="caption">Words</span>
      <select v-model="scene.lang" class="pick" aria-label="Language" data-test="embed-lang">
        <option v-for="(title, id) in LANGUAGES" :key="id" :value="id">{{ title }}</option>
      </select>
      <span class="caption">With</span>
      <span class="flex flex-wrap gap-x-3">
        <label
          ><input v-model="scene.buttons" type="checkbox" class="accent-ochre" data-test="embed-buttons" /> a button for
          each</label
        >
        <label><input v-model="scene.position" type="checkbox" class="accent-ochre" /> the viewer's own position</label>
        <label><input v-model="scene.still" type="checkbox" class="accent-ochre" /> nothing to move</label>
      </span>
      <label class="caption" for="embed-link">Link</label>
      <input id="embed-link" v-model.lazy="scene.link" class="field" placeholder="https://… to a larger map" />
    </SceneFields>
    <p v-if="unfit" class="border-ochre mx-4 my-1 border-l-2 pl-3">{{ unfit }}</p>
    <form
      v-if="!chosen"
      class="flex items-baseline gap-2 px-4 py-1"
      data-test="embed-make"
      @submit.prevent="make().catch(complain)"
    >
      <input
        v-model="origins"
        class="field"
        placeholder="https://your.page"
        aria-label="Pages"
        data-test="embed-origin"
      />
      <button class="act-main" data-test="make-embed-token">Make one for this</button>
    </form>
    <p v-else-if="!key" class="caption px-4">
      Its secret was shown when it was made: put it in the place of TOKEN, or give it a new secret under Tokens.
    </p>
    <div v-if="preview" class="border-rule mx-4 my-1 overflow-auto border">
      <iframe
        :key="preview"
        :src="preview"
        :title="scene.title || 'Preview'"
        :width="scene.width"
        :height="scene.height"
        class="block max-w-full"
        data-test="embed-preview"
      />
    </div>
    <h2 class="head">
      <span class="flex-1">For your page</span>
      <button class="act mb-1 font-sans not-italic" data-test="copy-snippet" @click="copy(snippet, 'the snippet')">
        Copy
      </button>
    </h2>
    <pre class="px-4 py-1 text-[13px] break-all whitespace-pre-wrap" data-test="snippet">{{ snippet }}</pre>
    <h2 class="head">
      <span class="flex-1">For every record of your app</span>
      <button class="act mb-1 font-sans not-italic" @click="copy(template, 'the template')">Copy</button>
    </h2>
    <pre class="px-4 py-1 text-[13px] break-all whitespace-pre-wrap" data-test="template">{{ template }}</pre>
    <p class="caption px-4 pb-3">
      A URI template (RFC 6570): give it the place's id, or its address where there is none; what is empty is left out.
    </p>
  </div>
</template>
