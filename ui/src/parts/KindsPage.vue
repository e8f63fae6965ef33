<script setup lang="ts">
// What there is to keep: collections with their attributes, categories with their looks.
import { ref } from 'vue'
import type { Category, Collection } from '../api/client'
import { desk } from '../desk/desk'
import { deleteCategory, deleteCollection, freshId, moveCategory } from '../desk/kinds'
import { complain } from '../desk/notice'
import { categories, collections } from '../desk/places'
import CategoryEditor from './CategoryEditor.vue'
import CollectionEditor from './CollectionEditor.vue'
import GlyphMark from './GlyphMark.vue'

const collection = ref<Collection | null>(null)
const category = ref<Category | null>(null)
/** Those that are not there yet. */
const freshCollection = ref<Collection | null>(null)
const freshCategory = ref<Category | null>(null)

function newCollection(): void {
  freshCollection.value = {
    id: freshId(`collection ${collections.value.length + 1}`, 'collection', collections.value),
    title: '',
    description: '',
    version: 0,
    attributes: [],
  }
}
function newCategory(): void {
  freshCategory.value = {
    id: freshId(`category ${categories.value.length + 1}`, 'category', categories.value),
    name: '',
    glyph: 'stone',
    colour: '#5B6770',
    position: categories.value.length,
    picture: '',
    version: 0,
  }
}
function showAll(c: Collection): void {
  desk.list = { ...desk.list, collection: c.id, text: '', where: '', unplaced: false }
  desk.part = 'list'
}
</script>

<template>
  <section class="min-h-40 grow basis-0 overflow-y-auto" aria-label="Collections and categories" data-test="kinds-page">
    <h2 class="head">Collections</h2>
    <ul class="ruled" data-test="collections">
      <li v-for="c in collections" :key="c.id">
        <div class="flex items-baseline gap-2 px-4 py-1">
          <button
            class="min-w-0 flex-1 truncate text-left hover:underline"
            :aria-expanded="collection?.id === c.id"
            :data-test="`collection-${c.id}`"
            @click="collection = collection?.id === c.id ? null : c"
          >
            {{ c.title }}
            <span class="caption"
              >{{ c.attributes?.length ?? 0 }} {{ c.attributes?.length === 1 ? 'attribute' : 'attributes' }} of its
              own</span
            >
          </button>
          <button class="link" :title="`List what is in ${c.title}`" @click="showAll(c)">
            {{ c.count ?? 0 }} listed
          </button>
          <button
            v-if="!c.count"
            class="link"
            :aria-label="`Delete ${c.title}`"
            :data-test="`collection-delete-${c.id}`"
            @click="deleteCollection(c).catch(complain)"
          >
            ×
          </button>
        </div>
        <CollectionEditor v-if="collection?.id === c.id" :collection="c" @done="collection = null" />
      </li>
    </ul>
    <CollectionEditor v-if="freshCollection" :collection="freshCollection" @done="freshCollection = null" />
    <div class="px-4 py-2">
      <button class="act" data-test="collection-new" @click="newCollection">New collection</button>
    </div>
    <h2 class="head">Categories</h2>
    <ul class="ruled" data-test="categories">
      <li v-for="(c, i) in categories" :key="c.id">
        <div class="flex items-center gap-2 px-4 py-1">
          <button
            class="flex min-w-0 flex-1 items-center gap-2 text-left hover:underline"
            :aria-expanded="category?.id === c.id"
            :data-test="`category-${c.id}`"
            @click="category = category?.id === c.id ? null : c"
          >
            <GlyphMark :category="c" /><span class="truncate">{{ c.name }}</span>
          </button>
          <button
            class="link"
            :aria-label="`Move ${c.name} up`"
            :disabled="i === 0"
            :data-test="`category-up-${c.id}`"
            @click="moveCategory(c, -1).catch(complain)"
          >
            ↑
          </button>
          <button
            class="link"
            :aria-label="`Move ${c.name} down`"
            :disabled="i === categories.length - 1"
            @click="moveCategory(c, 1).catch(complain)"
          >
            ↓
          </button>
          <button
            class="link"
            :aria-label="`Delete ${c.name}`"
            :data-test="`category-delete-${c.id}`"
            @click="deleteCategory(c).catch(complain)"
          >
            ×
          </button>
        </div>
        <CategoryEditor v-if="category?.id === c.id" :category="c" @done="category = null" />
      </li>
    </ul>
    <CategoryEditor v-if="freshCategory" :category="freshCategory" @done="freshCategory = null" />
    <div class="px-4 py-2"><button class="act" data-test="category-new" @click="newCategory">New category</button></div>
  </section>
</template>
