<script setup lang="ts">
// The bench Publish: tokens for apps, the map for a frame in somebody's page, the map as a picture.
import { onMounted } from 'vue'
import { desk, type PublishPart } from '../desk/desk'
import { complain } from '../desk/notice'
import { loadTokens } from '../desk/publish'
import EmbedPart from './EmbedPart.vue'
import PartTabs from './PartTabs.vue'
import PicturePart from './PicturePart.vue'
import TokensPart from './TokensPart.vue'

const PARTS: { id: PublishPart; title: string }[] = [
  { id: 'tokens', title: 'Tokens' },
  { id: 'embed', title: 'Embed' },
  { id: 'picture', title: 'Picture' },
]
onMounted(() => void loadTokens().catch(complain))
</script>

<template>
  <section class="flex min-h-fit flex-1 flex-col" aria-labelledby="publish-title" data-test="publish-page">
    <header class="flex flex-wrap items-baseline gap-x-3 px-4 pt-2.5 pb-1">
      <h1 id="publish-title" class="font-serif text-xl font-bold">Publish</h1>
      <PartTabs v-model="desk.publishPart" of="Publish" :parts="PARTS" test="publish">
        <a href="/docs" target="_blank" class="text-slate hover:text-ink underline" data-test="to-docs">Reference</a>
      </PartTabs>
    </header>
    <TokensPart v-if="desk.publishPart === 'tokens'" />
    <EmbedPart v-else-if="desk.publishPart === 'embed'" />
    <PicturePart v-else />
  </section>
</template>
