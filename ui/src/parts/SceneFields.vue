<script setup lang="ts">
// What is to be seen on the map that leaves the workbench, and how: for the frame and for the picture alike.
import style from '@style/ground.json'
import { computed } from 'vue'
import { collections } from '../desk/places'
import { scene, subjects } from '../desk/publish'

/** A picture is the same for whoever looks at it; a frame can follow the viewer's day and night. */
defineProps<{ fixed?: boolean }>()
const grounds = computed(() => Object.entries(style.styles).map(([id, s]) => ({ id, title: s.title })))
</script>

<template>
  <div class="grid grid-cols-[auto_1fr] items-baseline gap-x-3 gap-y-1 px-4 py-2">
    <label class="caption" for="scene-what">Show</label>
    <select id="scene-what" v-model="scene.what" class="pick max-w-full!" data-test="scene-what">
      <option value="place" :disabled="!subjects.place">
        {{ subjects.place ? `the place ${subjects.place}` : 'a place: select one' }}
      </option>
      <option value="collection">a collection</option>
      <option value="address">an address</option>
      <option value="way" :disabled="!subjects.way">
        {{ subjects.way ? `the way ${subjects.way}` : 'a way: choose one under Journey' }}
      </option>
      <option value="view">the map as it is here</option>
    </select>
    <template v-if="scene.what === 'collection'">
      <label class="caption" for="scene-collection">which</label>
      <select id="scene-collection" v-model="scene.collection" class="pick max-w-full!" data-test="scene-collection">
        <option v-for="c in collections" :key="c.id" :value="c.id">{{ c.title }}</option>
      </select>
    </template>
    <template v-if="scene.what === 'address'">
      <label class="caption" for="scene-address">which</label>
      <input id="scene-address" v-model.lazy="scene.address" class="field" data-test="scene-address" />
    </template>
    <span class="caption">Size</span>
    <span>
      <input
        v-model.lazy.number="scene.width"
        type="number"
        min="16"
        max="4096"
        class="field w-18!"
        aria-label="Width"
      />
      ×
      <input
        v-model.lazy.number="scene.height"
        type="number"
        min="16"
        max="4096"
        class="field w-18!"
        aria-label="Height"
      />
      <label v-if="scene.what !== 'view'" class="ml-3">
        <input v-model="scene.fitted" type="checkbox" class="accent-ochre" /> fitted
      </label>
    </span>
    <span class="caption">Ground</span>
    <span class="flex flex-wrap items-baseline gap-x-3">
      <select v-model="scene.ground" class="pick" aria-label="Style of the ground">
        <option v-for="g in grounds" :key="g.id" :value="g.id">{{ g.title }}</option>
      </select>
      <select v-model="scene.night" class="pick" aria-label="Day or night" data-test="scene-night">
        <option value="auto">{{ fixed ? 'day' : 'as the viewer has it' }}</option>
        <option v-if="!fixed" value="no">day</option>
        <option value="yes">night</option>
      </select>
      <label class="whitespace-nowrap">
        <input
          type="checkbox"
          class="accent-ochre"
          :checked="scene.lettering === 'large'"
          @change="scene.lettering = scene.lettering === 'large' ? 'plain' : 'large'"
        />
        large letters
      </label>
    </span>
    <slot />
  </div>
</template>
