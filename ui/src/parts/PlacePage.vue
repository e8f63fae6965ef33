<script setup lang="ts">
// The page of the selected place: what it is, how far and which way, and what can be done with it.
import { computed } from 'vue'
import { copy, goTo, lookAt, removePlace, standAt } from '../desk/acts'
import { desk } from '../desk/desk'
import { begin } from '../desk/editing'
import { bearing, metres, position, shortPosition } from '../desk/format'
import { complain } from '../desk/notice'
import { categoryById, setProperty, type Place } from '../desk/places'
import { useAddress, useBuilding, useMeasure } from '../desk/questions'
import GlyphMark from './GlyphMark.vue'

const props = defineProps<{ place: Place }>()
const at = computed(() => props.place.at)
const { data: address } = useAddress(at)
const { data: line } = useMeasure(computed(() => desk.standpoint), at)
const category = computed(() => categoryById.value.get(props.place.category))
const asBuilding = computed(() => props.place.feature.properties.shown_as === 'building')
const inBuilding = useBuilding(at)
const named = computed(() => props.place.at && { ...props.place.at, name: props.place.name })
</script>

<template>
  <section class="px-4 py-3" aria-labelledby="place-title" data-test="place-page">
    <div class="flex items-start gap-2">
      <GlyphMark :category="category" class="mt-1" />
      <h2 id="place-title" class="min-w-0 flex-1 font-serif text-xl leading-tight font-bold wrap-anywhere">{{ place.name || 'Without a name' }}</h2>
      <button class="act" aria-label="Close this page" data-test="close-place" @click="desk.place = null">Close <span class="key">Esc</span></button>
    </div>
    <p v-if="place.feature.properties.description" class="mt-1 wrap-anywhere">{{ place.feature.properties.description }}</p>
    <dl class="mt-2 grid grid-cols-[auto_1fr] gap-x-3 gap-y-0.5">
      <dt class="caption">Category</dt>
      <dd>{{ category?.name ?? 'none' }}</dd>
      <dt class="caption">Position</dt>
      <dd data-test="place-position">{{ at ? shortPosition(at) : 'not known yet' }}</dd>
      <template v-if="at && address">
        <dt class="caption">Address</dt>
        <dd>{{ address.properties.label }}<span class="caption">, {{ metres(address.properties.distance_m ?? 0) }} off</span></dd>
      </template>
      <template v-if="at && line">
        <dt class="caption">From here</dt>
        <dd class="font-medium" data-test="place-range">{{ metres(line.distance_m) }} · {{ bearing(line.initial_bearing_deg) }}</dd>
      </template>
    </dl>
    <div class="mt-2.5 flex flex-wrap gap-1.5">
      <button class="act" data-test="edit" @click="begin(place)">Edit <span class="key">e</span></button>
      <template v-if="named">
        <button class="act" data-test="go-place" @click="goTo(named)">Go there <span class="key">g</span></button>
        <button class="act" @click="standAt(named)">Stand here <span class="key">s</span></button>
        <button class="act" @click="copy(position(named), 'lat,lng')">Copy <span class="key">c</span></button>
        <button v-if="inBuilding" class="act" :aria-pressed="asBuilding" data-test="as-building" @click="setProperty(place, 'shown_as', asBuilding ? null : 'building').catch(complain)">{{ asBuilding ? 'Show as a stone' : 'Show as its building' }}</button>
        <button class="act" @click="lookAt(named, 16)">Look <span class="key">l</span></button>
      </template>
      <button class="act" data-test="delete" @click="removePlace(place)">Delete <span class="key">Del</span></button>
    </div>
  </section>
</template>
