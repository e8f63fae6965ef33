<script setup lang="ts">
// The slip of the selected place: its name, how far and which way, three main actions; unfolded, all else that is known
// of it.
import { computed, ref, toRef, watch } from 'vue'
import type { Attribute, Past } from '../api/client'
import { copyPosition, goTo, lookAt, removePlace, show, standAt } from '../desk/acts'
import { desk } from '../desk/desk'
import { begin } from '../desk/editing'
import { NOTATIONS, bearing, chosenNotation, measureText, metres } from '../desk/format'
import { showOnly } from '../desk/listing'
import { complain } from '../desk/notice'
import { openLinks } from '../desk/onward'
import {
  attributesOf,
  categoryById,
  changedElsewhere,
  collections,
  isVisible,
  replacePlace,
  setProperty,
  type Place,
} from '../desk/places'
import { useAddress, useBuilding, useHistory, useMeasure, useShape } from '../desk/questions'
import { give, quickKeyOf, wait } from '../desk/quick'
import GlyphMark from './GlyphMark.vue'

const props = defineProps<{ place: Place }>()
const at = computed(() => props.place.at)
const { data: address } = useAddress(at)
const { data: line } = useMeasure(
  computed(() => desk.standpoint),
  at,
)
const category = computed(() => categoryById.value.get(props.place.category))
const asBuilding = computed(() => props.place.feature.properties.shown_as === 'building')
const inBuilding = useBuilding(at)
const value = (a: Attribute) => (props.place.feature.properties as Record<string, unknown>)[a.name]
const told = computed(() =>
  attributesOf(props.place.collection).filter(
    (a) => a.name !== 'visible' && value(a) !== undefined && value(a) !== null && value(a) !== '',
  ),
)
const { data: shape } = useShape(computed(() => props.place.outline))
const collection = computed(() => collections.value.find((c) => c.id === props.place.collection))
const quick = computed(() => quickKeyOf(props.place))
const alone = computed(() => desk.only.length === 1 && desk.only[0] === props.place.id)
const notation = computed(() => NOTATIONS[chosenNotation.value] ?? NOTATIONS.decimal!)
const past = ref(false)
const { data: history } = useHistory(
  toRef(() => props.place.collection),
  toRef(() => props.place.id),
  toRef(() => props.place.version),
  past,
)
const shown = (v: unknown) =>
  v === null || v === undefined ? '—' : typeof v === 'object' ? JSON.stringify(v) : String(v)

/** Makes the place what it was then. */
function goBack(h: Past): void {
  replacePlace(props.place, h.feature).catch(complain)
}
const named = computed(() => props.place.at && { ...props.place.at, name: props.place.name })
/** What stands under the name: from here, or what it measures, and what it is. */
const fromHere = computed(() => {
  if (props.place.outline) return shape.value ? measureText(shape.value) : '…'
  if (!at.value) return 'no position yet'
  return line.value ? `${metres(line.value.distance_m)} · ${bearing(line.value.initial_bearing_deg)}` : ''
})
function openFinder(): void {
  desk.bench = 'around'
  desk.around.part = 'finder'
}
const frame = ref<HTMLElement>()
watch([() => desk.unfolded, () => props.place.id], () => frame.value?.scrollTo({ top: 0 }))
</script>

<template>
  <section
    ref="frame"
    class="relative scroll-pt-28 overflow-y-auto"
    :class="desk.unfolded ? 'min-h-0 flex-1' : 'max-h-2/5 shrink-0 border-ink border-b'"
    aria-labelledby="place-title"
    data-test="place-page"
  >
    <div class="bg-paper sticky top-0 z-10 px-4 pt-2 pb-1.5">
      <div class="flex items-center gap-2">
        <GlyphMark :category="category" />
        <h2
          id="place-title"
          class="min-w-0 flex-1 font-serif text-lg leading-tight font-bold"
          :class="desk.unfolded ? 'wrap-anywhere' : 'truncate'"
          :title="place.name"
        >
          {{ place.name || 'Without a name' }}
        </h2>
        <button
          class="act px-1.5!"
          :aria-expanded="desk.unfolded"
          :title="
            desk.unfolded ? 'Fold the slip (Shift M)' : 'All that is known of it, and all that can be done (Shift M)'
          "
          data-test="more"
          @click="desk.unfolded = !desk.unfolded"
        >
          {{ desk.unfolded ? 'Less' : 'More' }} <span class="key">M</span>
        </button>
        <button
          class="act px-1.5!"
          aria-label="Close"
          title="Close (Esc)"
          data-test="close-place"
          @click="desk.place = null"
        >
          ×
        </button>
      </div>
      <p class="flex items-baseline gap-x-2 leading-snug">
        <span
          v-if="fromHere"
          class="font-medium whitespace-nowrap"
          :data-test="place.outline ? 'place-measure' : 'place-range'"
          >{{ fromHere }}</span
        >
        <span class="caption min-w-0 flex-1 truncate">{{ category?.name ?? 'no category' }}</span>
        <span
          v-if="changedElsewhere.has(place.id)"
          class="text-verdigris text-sm whitespace-nowrap"
          role="status"
          data-test="changed-elsewhere"
          >Changed elsewhere just now</span
        >
      </p>
      <div class="mt-1 flex gap-1.5">
        <template v-if="named">
          <button class="act" data-test="go-place" @click="goTo(named)">Go there <span class="key">g</span></button>
          <button class="act" data-test="stand-place" @click="standAt(named)">
            Stand here <span class="key">s</span>
          </button>
        </template>
        <button
          v-if="named"
          class="act"
          title="Find it, compass in hand (!)"
          data-test="find-place"
          @click="openFinder"
        >
          Find <span class="key">!</span>
        </button>
        <button v-else-if="place.outline" class="act" data-test="look-shape" @click="show(place)">
          Show on map <span class="key">l</span>
        </button>
        <button class="act" data-test="edit" @click="begin(place)">Edit <span class="key">e</span></button>
      </div>
    </div>
    <div v-if="desk.unfolded" class="px-4 pb-3" data-test="place-all">
      <p v-if="place.feature.properties.description" class="mt-1 wrap-anywhere">
        {{ place.feature.properties.description }}
      </p>
      <dl class="mt-1 grid grid-cols-[auto_1fr] gap-x-3 gap-y-0.5">
        <dt class="caption">Collection</dt>
        <dd>
          {{ collection?.title ?? place.collection
          }}<span v-if="!isVisible(place)" class="caption">; not drawn on the map</span>
        </dd>
        <template v-if="!place.outline">
          <dt class="caption">Position</dt>
          <dd data-test="place-position">{{ at ? notation.read(at) : 'not known yet' }}</dd>
        </template>
        <template v-if="at && address">
          <dt class="caption">Address</dt>
          <dd>
            {{ address.properties.label
            }}<span class="caption">, {{ metres(address.properties.distance_m ?? 0) }} off</span>
          </dd>
        </template>
        <template v-for="a in told" :key="a.name">
          <dt class="caption">{{ a.title || a.name }}</dt>
          <dd class="wrap-anywhere" :data-test="`told-${a.name}`">
            <a
              v-if="a.type === 'telephone'"
              class="underline"
              :href="`tel:${String(value(a)).replace(/[^+\d]/g, '')}`"
              >{{ value(a) }}</a
            >
            <a
              v-else-if="a.type === 'url'"
              class="underline"
              :href="String(value(a))"
              target="_blank"
              rel="noopener noreferrer"
              >{{ value(a) }}</a
            >
            <template v-else>{{ a.type === 'boolean' ? (value(a) ? 'yes' : 'no') : value(a) }}</template>
          </dd>
        </template>
      </dl>
      <div class="mt-2.5 flex flex-wrap gap-1.5">
        <template v-if="named">
          <button class="act" data-test="look-place" @click="lookAt(named, 16)">
            Show on map <span class="key">l</span>
          </button>
          <span class="flex">
            <button class="act" data-test="copy-place" @click="copyPosition(named)">
              Copy <span class="key">c</span>
            </button>
            <select
              class="act -ml-px max-w-26 pr-0!"
              :value="chosenNotation"
              aria-label="In which notation"
              data-test="copy-as"
              @change="((chosenNotation = ($event.target as HTMLSelectElement).value), copyPosition(named))"
            >
              <option v-for="(n, id) in NOTATIONS" :key="id" :value="id">{{ n.title }}</option>
            </select>
          </span>
          <button
            class="act"
            data-test="open-in"
            @click="
              openLinks({
                ...at,
                name: place.name,
                id: place.id,
                collection: place.collection,
                address: address?.properties.label,
              })
            "
          >
            Open in … <span class="key">O</span>
          </button>
          <button
            v-if="inBuilding"
            class="act"
            :aria-pressed="asBuilding"
            data-test="as-building"
            @click="setProperty(place, 'shown_as', asBuilding ? null : 'building').catch(complain)"
          >
            {{ asBuilding ? 'Show as a stone' : 'Show as its building' }}
          </button>
        </template>
        <button
          class="act"
          :aria-pressed="alone"
          data-test="alone"
          @click="alone ? (desk.only = []) : showOnly([place])"
        >
          {{ alone ? 'Show all' : 'Show only this' }} <span class="key">z</span>
        </button>
        <button
          class="act"
          :title="quick ? `q ${quick} brings it up; press to take the key away` : 'A digit that brings it up'"
          data-test="quick"
          @click="quick ? give(place, quick) : wait('give')"
        >
          {{ quick ? `Quick key ${quick}` : 'Quick key' }} <span class="key">Q</span>
        </button>
        <button class="act" :aria-expanded="past" data-test="history-open" @click="past = !past">History</button>
        <button class="act" data-test="delete" @click="removePlace(place)">Delete <span class="key">Del</span></button>
      </div>
      <ol v-if="past && history" class="ruled border-rule mt-2 border-t" data-test="history">
        <li v-for="h in history" :key="h.no" class="py-1">
          <p class="flex items-baseline gap-2">
            <span class="font-medium">{{ h.what }}</span>
            <span class="caption flex-1">{{ new Date(h.at).toLocaleString() }} · {{ h.actor }}</span>
            <button
              v-if="h.what !== 'deleted' && h.feature.properties.version !== place.version"
              class="text-sm underline"
              :data-test="`back-${h.what}`"
              @click="goBack(h)"
            >
              Restore this
            </button>
          </p>
          <p v-if="h.moved_m !== null" class="caption">moved by {{ metres(h.moved_m) }}</p>
          <p v-for="c in h.changes.filter((c) => c.name !== 'geometry')" :key="c.name" class="text-sm wrap-anywhere">
            <span class="text-slate">{{ c.name }}</span> <s class="text-slate">{{ shown(c.before) }}</s>
            {{ shown(c.after) }}
          </p>
        </li>
      </ol>
    </div>
  </section>
</template>
