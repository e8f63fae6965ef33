<script setup lang="ts">
// Service areas: whether the standpoint, or the selected spot, is served, by which areas, what excludes it, and if it
// is not served, how far the nearest is that would.
import { useLocalStorage } from '@vueuse/core'
import { computed } from 'vue'
import { select } from '../desk/acts'
import { desk } from '../desk/desk'
import { metres, shortPosition, towards } from '../desk/format'
import { categoryById, collections, places } from '../desk/places'
import { useServed } from '../desk/questions'
import GlyphMark from './GlyphMark.vue'

type Use = 'serves' | 'excludes' | 'neither'
/** What the areas of each collection do. */
const uses = useLocalStorage<Record<string, Use>>('viandante.served', {})
const withAreas = computed(() => {
  const ids = new Set([...places.values()].filter((p) => p.kind === 'area').map((p) => p.collection))
  return collections.value.filter((c) => ids.has(c.id))
})
const useOf = (id: string): Use => uses.value[id] ?? 'serves'
const serving = computed(() => withAreas.value.filter((c) => useOf(c.id) === 'serves').map((c) => c.id))
const excluding = computed(() => withAreas.value.filter((c) => useOf(c.id) === 'excludes').map((c) => c.id))
const at = computed(() => desk.spot ?? desk.standpoint)
const { data } = useServed(at, serving, excluding)
const verdict = computed(() => {
  const d = data.value
  if (!d) return ''
  if (d.served) return 'Served'
  return d.excluded_by.length && d.by.length ? 'Excluded' : 'Not served'
})
</script>

<template>
  <div class="flex min-h-fit flex-1 flex-col px-4 pb-4" data-test="served-part">
    <p class="caption mt-1">
      {{ desk.spot ? 'The selected spot' : 'The standpoint' }}: {{ at?.name ?? (at ? shortPosition(at) : '') }}
    </p>
    <p
      v-if="data"
      class="my-1.5 border-l-4 py-0.5 pl-3 font-serif text-xl font-bold"
      :class="data.served ? 'border-verdigris' : 'border-madder'"
      data-test="served"
    >
      {{ verdict }}
    </p>
    <template v-if="data">
      <ul class="ruled">
        <li v-for="a in [...data.by, ...data.excluded_by]" :key="a.id" class="flex items-center gap-2 py-1">
          <GlyphMark :category="categoryById.get(a.category)" />
          <button class="min-w-0 flex-1 truncate text-left underline" @click="select(a.id, true)">
            {{ a.name || 'without a name' }}
          </button>
          <span class="caption" :class="data.excluded_by.some((e) => e.id === a.id) ? 'text-madder!' : ''">{{
            data.excluded_by.some((e) => e.id === a.id) ? 'excludes it' : 'serves it'
          }}</span>
        </li>
      </ul>
      <p v-for="n in data.nearest" :key="n.id" class="py-1" data-test="served-nearest">
        The nearest that would serve it is {{ metres(n.distance_m ?? 0) }} {{ towards(n.bearing_deg) }}:
        <button class="underline" @click="select(n.id, true)">{{ n.name || 'without a name' }}</button>.
      </p>
      <p v-if="!data.by.length && !data.nearest.length">There is no area that serves anything yet.</p>
    </template>
    <h2 class="head -mx-4 mt-3"><span class="flex-1">What areas do</span></h2>
    <ul class="ruled">
      <li v-for="c in withAreas" :key="c.id" class="flex items-baseline gap-2 py-1">
        <span class="min-w-0 flex-1 truncate">{{ c.title }}</span>
        <select
          class="pick"
          :value="useOf(c.id)"
          :aria-label="`Areas of ${c.title}`"
          :data-test="`use-${c.id}`"
          @change="uses[c.id] = ($event.target as HTMLSelectElement).value as Use"
        >
          <option value="serves">serve</option>
          <option value="excludes">exclude</option>
          <option value="neither">neither</option>
        </select>
      </li>
    </ul>
    <p class="caption mt-1">Click a spot on the map to ask for it instead of the standpoint.</p>
  </div>
</template>
