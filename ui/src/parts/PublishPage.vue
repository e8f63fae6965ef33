<script setup lang="ts">
// The bench Publish: tokens for apps, the map for a frame in somebody's page, the map as a picture.
import { onMounted } from 'vue'
import { PUBLISH_PARTS, desk, type PublishPart } from '../desk/desk'
import { complain } from '../desk/notice'
import { loadTokens } from '../desk/publish'
import EmbedPart from './EmbedPart.vue'
import PicturePart from './PicturePart.vue'
import TokensPart from './TokensPart.vue'

const TITLES: Record<PublishPart, string> = { tokens: 'Tokens', embed: 'Embed', picture: 'Picture' }
onMounted(() => void loadTokens().catch(complain))
</script>

<template>
  <section class="flex min-h-fit flex-1 flex-col" aria-labelledby="publish-title" data-test="publish-page">
    <header class="flex flex-wrap items-baseline gap-x-3 px-4 pt-2.5 pb-1">
      <h1 id="publish-title" class="font-serif text-xl font-bold">Publish</h1>
      <nav class="ml-auto flex gap-3" aria-label="Parts of the bench Publish">
        <button
          v-for="part in PUBLISH_PARTS"
          :key="part"
          class="border-b-2 whitespace-nowrap"
          :class="
            desk.publishPart === part ? 'border-madder font-medium' : 'text-slate hover:text-ink border-transparent'
          "
          :aria-current="desk.publishPart === part ? 'page' : undefined"
          :data-test="`publish-${part}`"
          @click="desk.publishPart = part"
        >
          {{ TITLES[part] }}
        </button>
        <a href="/docs" target="_blank" class="text-slate hover:text-ink underline" data-test="to-docs">Reference</a>
      </nav>
    </header>
    <TokensPart v-if="desk.publishPart === 'tokens'" />
    <EmbedPart v-else-if="desk.publishPart === 'embed'" />
    <PicturePart v-else />
  </section>
</template>
