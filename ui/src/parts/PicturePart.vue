<script setup lang="ts">
// The map as a picture that the server draws: seen at once, copied as a link that is signed for pages and mails.
import { computed, onMounted, ref, watch } from 'vue'
import { copy } from '../desk/acts'
import { complain } from '../desk/notice'
import { desk } from '../desk/desk'
import { collections } from '../desk/places'
import { hasEnded, pictureParts, quoted, scene, signPicture, tokens, written } from '../desk/publish'
import SceneFields from './SceneFields.vue'

onMounted(() => {
  scene.collection ||= collections.value[0]?.id ?? ''
})
const usable = computed(() =>
  tokens.value.filter((t) => (t.scopes.includes('publish') || t.scopes.includes('read')) && !hasEnded(t)),
)
const path = computed(() => `/v1/picture.png?${written(pictureParts())}`)
const shown = computed(() => pictureParts().length > 0)
const failed = ref('')
const signed = ref('')
watch(path, () => {
  failed.value = signed.value = ''
})
async function why(): Promise<void> {
  const answer = await fetch(path.value)
  const problem = (await answer.json().catch(() => ({}))) as { detail?: string }
  failed.value = problem.detail ?? 'The picture cannot be drawn.'
}
async function sign(): Promise<void> {
  signed.value = await signPicture(scene.token)
}
const html = computed(
  () =>
    `<img src="${quoted(signed.value)}" width="${scene.width}" height="${scene.height}" ` +
    `alt="${quoted(scene.title || 'Map')}">`,
)
</script>

<template>
  <div class="flex flex-1 flex-col" data-test="picture-part">
    <SceneFields fixed>
      <span class="caption">Pixels</span>
      <span>
        <select v-model.number="scene.ratio" class="pick" aria-label="Pixels to a point" data-test="picture-ratio">
          <option v-for="n in [1, 2, 3, 4]" :key="n" :value="n">{{ n }} to a point</option>
        </select>
        <label v-if="desk.standpoint" class="ml-3"
          ><input v-model="scene.ring" type="checkbox" class="accent-ochre" data-test="picture-ring" /> the ring</label
        >
        <label class="ml-3"
          ><input v-model="scene.attribution" type="checkbox" class="accent-ochre" /> whose map it is</label
        >
      </span>
      <template v-if="scene.what === 'way'">
        <span class="caption">Way</span>
        <select v-model="scene.line" class="pick" aria-label="How the way is drawn">
          <option value="band">a band</option>
          <option value="dashed">dashed</option>
          <option value="thin">thin</option>
        </select>
      </template>
    </SceneFields>
    <p v-if="failed" class="border-madder mx-4 my-1 border-l-2 pl-3" role="alert">{{ failed }}</p>
    <div v-if="shown" class="border-rule mx-4 my-1 border">
      <img
        :key="path"
        :src="path"
        :style="{ aspectRatio: `${scene.width} / ${scene.height}` }"
        class="block w-full"
        alt="The picture as the server draws it"
        data-test="picture-preview"
        @error="why().catch(complain)"
      />
    </div>
    <h2 class="head"><span class="flex-1">For pages and mails</span></h2>
    <p class="flex flex-wrap items-baseline gap-2 px-4 py-1">
      <label class="caption"
        >signed with
        <select v-model="scene.token" class="pick text-ink max-w-52!" data-test="picture-token">
          <option value="">choose a token …</option>
          <option v-for="t in usable" :key="t.id" :value="t.id">{{ t.name }}</option>
        </select>
      </label>
      <button class="act-main" :disabled="!scene.token" data-test="sign-picture" @click="sign().catch(complain)">
        Sign
      </button>
    </p>
    <p class="caption px-4">
      Whoever has the link sees this picture and nothing else. It ends when its token does, and changes with the places.
    </p>
    <template v-if="signed">
      <pre class="px-4 py-1 text-[13px] break-all whitespace-pre-wrap" data-test="picture-html">{{ html }}</pre>
      <p class="flex gap-2 px-4 pb-3">
        <button class="act" @click="copy(html, 'the picture')">Copy</button>
        <a class="act" :href="signed" target="_blank" rel="noopener">Open</a>
        <a class="act" :href="path" :download="`map-${scene.width}x${scene.height}.png`">Save file</a>
      </p>
    </template>
  </div>
</template>
