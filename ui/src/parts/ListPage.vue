<script setup lang="ts">
// The list of everything: searched, sorted, filtered; it follows the map or leads it; what is chosen is changed in one
// step.
import { useVirtualizer } from '@tanstack/vue-virtual'
import { computed, nextTick, ref, watch, watchEffect } from 'vue'
import { desk } from '../desk/desk'
import { metres, shortPosition } from '../desk/format'
import {
  attributes,
  choose,
  chooseAll,
  chosen,
  chosenCount,
  clearChosen,
  deleteChosen,
  failed,
  isChosen,
  looking,
  open,
  progress,
  rowAt,
  rows,
  rowsBetween,
  setChosen,
  showChosen,
  step,
  total,
  unplaced,
} from '../desk/listing'
import { complain } from '../desk/notice'
import { categories, categoryById, changedElsewhere, collections, isVisible, type Place } from '../desk/places'
import GlyphMark from './GlyphMark.vue'

const ROW = 32
const scroller = ref<HTMLElement>()
const virtual = useVirtualizer(
  computed(() => ({
    count: Math.min(total.value, 1_000_000),
    getScrollElement: () => scroller.value ?? null,
    estimateSize: () => ROW,
    overscan: 12,
  })),
)
const shown = computed(() => virtual.value.getVirtualItems())
/** Each row that is in view, with what stands there as soon as it is read. */
const lines = computed(() => shown.value.map(({ index, start }) => ({ index, start, p: rows.get(index) })))
watchEffect(() => {
  const list = shown.value
  looking.from = list[0]?.index ?? 0
  looking.to = list.at(-1)?.index ?? 30
})

/** The row that the Tab key comes to: the one that had the focus last, else the first in view. */
const focused = ref(0)
const stop = computed(() => {
  const list = shown.value
  if (list.some((v) => v.index === focused.value)) return focused.value
  return (list.find((v) => v.start >= (virtual.value.scrollOffset ?? 0)) ?? list[0])?.index ?? 0
})

// A row that is selected elsewhere comes into view.
watch(
  () => desk.place,
  (id) => {
    for (const [i, p] of rows)
      if (
        p.id === id &&
        !shown.value.some(
          (v) =>
            v.index === i &&
            v.start >= (scroller.value?.scrollTop ?? 0) &&
            v.end <= (scroller.value?.scrollTop ?? 0) + (scroller.value?.clientHeight ?? 0),
        )
      )
        virtual.value.scrollToIndex(i, { align: 'center' })
  },
)

const SORTS = [
  ['name', 'name'],
  ['category', 'category'],
  ['updated_at', 'last change'],
  ['created_at', 'first saved'],
  ['collection', 'collection'],
  ['lat', 'latitude'],
  ['lng', 'longitude'],
]
const sorts = computed(() => [...SORTS, ...attributes.value.map((a) => [a.name, (a.title || a.name).toLowerCase()])])
const sortName = computed({
  get: () => desk.list.sort.replace(/^-/, ''),
  set: (name) => (desk.list.sort = name),
})
const descending = computed(() => desk.list.sort.startsWith('-'))
const turn = () => (desk.list.sort = descending.value ? sortName.value : `-${sortName.value}`)

const filterName = ref(desk.list.where.split(':')[0] ?? '')
const filterValue = ref(desk.list.where.split(':').slice(1).join(':'))
const filterOptions = computed(() => {
  const a = attributes.value.find((b) => b.name === filterName.value)
  return a?.type === 'choice' ? a.options : a?.type === 'boolean' ? ['true', 'false'] : null
})
watch([filterName, filterValue], ([name, value]) => (desk.list.where = name ? `${name}:${value}` : ''))
watch(filterName, () => (filterValue.value = filterOptions.value?.[0] ?? ''))

/** What stands at the end of a row: what the list is sorted by. */
function value(p: Place): string {
  const v = (p.feature.properties as Record<string, unknown>)[sortName.value]
  switch (sortName.value) {
    case 'name':
    case 'category':
      return categoryById.value.get(p.category)?.name ?? ''
    case 'collection':
      return collections.value.find((c) => c.id === p.collection)?.title ?? ''
    case 'lat':
    case 'lng':
      return p.at ? shortPosition(p.at) : ''
    case 'updated_at':
    case 'created_at':
      return new Date(String(v)).toLocaleString(undefined, { dateStyle: 'short', timeStyle: 'short' })
  }
  if (typeof v === 'number' && /_m$/.test(sortName.value)) return metres(v)
  return v === undefined || v === null ? '' : typeof v === 'boolean' ? (v ? 'yes' : 'no') : String(v)
}

let last = -1
function clickRow(e: MouseEvent, i: number, p: Place): void {
  if (e.shiftKey && last >= 0) return chooseTo(i)
  if (e.ctrlKey || e.metaKey) choose(p.id)
  else open(p)
  last = i
}
function chooseTo(i: number): void {
  const [a, b] = [Math.min(last, i), Math.max(last, i)]
  rowsBetween(a, b).then((list) => list.forEach((p) => choose(p.id, true)), complain)
}
async function focusRow(i: number): Promise<void> {
  virtual.value.scrollToIndex(i, { align: 'auto' })
  await rowAt(i)
  await nextTick()
  scroller.value?.querySelector<HTMLElement>(`[data-row="${i}"]`)?.focus()
}
function onKey(e: KeyboardEvent, i: number, p: Place): void {
  const to = { ArrowDown: i + 1, ArrowUp: i - 1, PageDown: i + 12, PageUp: i - 12, Home: 0, End: total.value - 1 }[
    e.key
  ]
  if (to !== undefined) focusRow(Math.max(0, Math.min(total.value - 1, to))).catch(complain)
  else if (e.key === ' ') {
    choose(p.id)
    last = i
  } else if (e.key.toLowerCase() === 'a' && (e.ctrlKey || e.metaKey)) chooseAll()
  else return
  e.preventDefault()
  e.stopPropagation()
}

const setName = ref('category')
const setValue = ref('')
const settable = computed(() => [
  { name: 'category', title: 'category', type: 'choice', options: categories.value.map((c) => c.id) },
  ...attributes.value.map((a) => ({
    name: a.name,
    title: (a.title || a.name).toLowerCase(),
    type: a.type,
    options: a.options ?? [],
  })),
])
const setting = computed(() => settable.value.find((a) => a.name === setName.value) ?? settable.value[0]!)
const TYPES: Record<string, string> = { date: 'date', url: 'url', telephone: 'tel', number: 'number' }
watch(setName, () => (setValue.value = ''))
function set(): void {
  const v = setValue.value
  const { name, title, type } = setting.value
  void setChosen(name, title, v === '' ? null : type === 'number' ? Number(v) : type === 'boolean' ? v === 'true' : v)
}
const optionName = (o: string) => (setName.value === 'category' ? (categoryById.value.get(o)?.name ?? o) : o)
</script>

<template>
  <section class="flex min-h-fit flex-1 flex-col" aria-label="List of everything" data-test="list-page">
    <header class="px-4 pb-1.5">
      <div class="flex items-baseline gap-2">
        <input
          v-model="desk.list.text"
          class="field"
          placeholder="Words in names and attributes"
          aria-label="Find by words"
          autocomplete="off"
          spellcheck="false"
          maxlength="200"
          data-test="list-find"
          @keydown.down.prevent="focusRow(0).catch(complain)"
          @keydown.esc="($event.target as HTMLElement).blur()"
        />
        <span class="caption shrink-0 text-right" aria-live="polite" data-test="list-count">
          {{ total.toLocaleString('en') }}
          {{ desk.list.unplaced ? 'without a position' : desk.list.follow ? 'in view' : '' }}
        </span>
      </div>
      <div class="mt-1.5 flex flex-wrap items-baseline gap-x-2.5 gap-y-1.5 text-[15px]">
        <span class="flex items-baseline gap-1">
          <label class="caption" for="list-sort">by</label>
          <select id="list-sort" v-model="sortName" class="pick" data-test="list-sort">
            <option v-for="[name, title] in sorts" :key="name" :value="name">{{ title }}</option>
          </select>
          <button
            class="link"
            :aria-label="descending ? 'Descending; sort ascending' : 'Ascending; sort descending'"
            data-test="list-turn"
            @click="turn"
          >
            {{ descending ? '↓' : '↑' }}
          </button>
        </span>
        <select v-model="desk.list.collection" class="pick" aria-label="Collection" data-test="list-collection">
          <option value="">all collections</option>
          <option v-for="c in collections" :key="c.id" :value="c.id">{{ c.title }}</option>
        </select>
        <span class="flex items-baseline gap-1">
          <select v-model="filterName" class="pick" aria-label="Filter by an attribute" data-test="list-filter">
            <option value="">any attributes</option>
            <option v-for="a in attributes" :key="a.name" :value="a.name">
              {{ (a.title || a.name).toLowerCase() }}
            </option>
          </select>
          <template v-if="filterName">
            is
            <select v-if="filterOptions" v-model="filterValue" class="pick" aria-label="Value" data-test="list-value">
              <option v-for="o in filterOptions" :key="o" :value="o">{{ o }}</option>
              <option value="">not given</option>
            </select>
            <input
              v-else
              v-model.lazy="filterValue"
              class="field w-28! py-0!"
              aria-label="Value; empty for those without one"
              data-test="list-value"
            />
          </template>
        </span>
        <button
          class="act"
          :aria-pressed="desk.list.follow"
          :class="desk.list.follow ? 'bg-ink! text-paper!' : ''"
          title="The list follows the map"
          data-test="list-follow"
          @click="desk.list.follow = !desk.list.follow"
        >
          In view
        </button>
        <button
          v-if="unplaced || desk.list.unplaced"
          class="act"
          :aria-pressed="desk.list.unplaced"
          :class="desk.list.unplaced ? 'bg-ink! text-paper!' : ''"
          title="Those whose position is not known"
          data-test="list-unplaced"
          @click="desk.list.unplaced = !desk.list.unplaced"
        >
          {{ unplaced }} unplaced
        </button>
      </div>
    </header>
    <p v-if="failed" class="border-madder m-4 border-l-2 pl-3" role="alert">{{ failed }}</p>
    <p v-else-if="!total" class="border-ochre m-4 border-l-2 pl-3">
      {{
        desk.list.text || desk.list.where || desk.list.follow || desk.list.collection
          ? 'Nothing matches. Remove a word or a filter.'
          : 'Nothing is saved yet. Click a spot on the map and save a place there.'
      }}
    </p>
    <div
      ref="scroller"
      class="border-rule min-h-24 grow basis-0 overflow-y-auto border-t"
      role="grid"
      :aria-rowcount="total"
      aria-multiselectable="true"
      aria-label="Everything that is saved"
      data-test="list-rows"
    >
      <div class="relative w-full" :style="{ height: `${virtual.getTotalSize()}px` }">
        <template v-for="{ index, start, p } in lines" :key="index">
          <div
            v-if="p"
            class="border-rule absolute inset-x-0 flex cursor-pointer items-center gap-2 border-b px-4 outline-offset-[-2px] select-none"
            :class="[
              desk.place === p.id
                ? 'bg-selected font-medium'
                : isChosen(p.id)
                  ? 'bg-chosen'
                  : changedElsewhere.has(p.id)
                    ? 'bg-fresh border-l-verdigris border-l-4'
                    : 'hover:bg-selected',
            ]"
            :style="{ top: `${start}px`, height: `${ROW}px` }"
            role="row"
            :aria-rowindex="index + 1"
            :aria-selected="isChosen(p.id)"
            :tabindex="index === stop ? 0 : -1"
            :data-row="index"
            :data-test="`row-${p.name}`"
            @click="clickRow($event, index, p)"
            @focus="focused = index"
            @keydown="onKey($event, index, p)"
            @keydown.enter.prevent.stop="open(p)"
          >
            <input
              type="checkbox"
              class="accent-ochre size-4 shrink-0"
              tabindex="-1"
              :checked="isChosen(p.id)"
              :aria-label="`Choose ${p.name}`"
              @click.stop="$event.shiftKey ? chooseTo(index) : (choose(p.id), (last = index))"
            />
            <GlyphMark :category="categoryById.get(p.category)" class="h-5!" />
            <span class="min-w-0 flex-1 truncate" role="gridcell">{{ p.name || 'without a name' }}</span>
            <span v-if="!isVisible(p)" class="caption">not drawn</span>
            <span v-if="!p.at && !p.outline" class="text-madder text-sm">no position</span>
            <span class="caption max-w-[45%] truncate" role="gridcell">{{ value(p) }}</span>
          </div>
          <div
            v-else
            class="border-rule text-slate absolute inset-x-0 border-b px-4"
            :style="{ top: `${start}px`, height: `${ROW}px` }"
          >
            …
          </div>
        </template>
      </div>
    </div>
    <footer v-if="chosenCount || progress.running" class="border-ink bg-card border-t px-4 py-2" data-test="chosen">
      <p class="flex items-baseline gap-2">
        <span class="flex-1 font-medium" data-test="chosen-count">{{ chosenCount.toLocaleString('en') }} chosen</span>
        <button v-if="!chosen.all" class="link" data-test="choose-all" @click="chooseAll">
          All {{ total.toLocaleString('en') }}
        </button>
        <button class="link" data-test="choose-none" @click="clearChosen">None</button>
      </p>
      <p v-if="progress.running" class="flex items-center gap-2" role="status">
        <progress class="flex-1" :value="progress.done" :max="progress.of" /> {{ progress.done }} of {{ progress.of }}
        <button class="act" @click="progress.stop = true">Stop</button>
      </p>
      <div v-else class="mt-1 flex flex-wrap items-baseline gap-1.5">
        <form class="flex items-baseline gap-1" @submit.prevent="set">
          set
          <select v-model="setName" class="pick" aria-label="What to set" data-test="set-name">
            <option v-for="a in settable" :key="a.name" :value="a.name">{{ a.title }}</option>
          </select>
          to
          <select
            v-if="setting.type === 'choice' || setting.type === 'boolean'"
            v-model="setValue"
            class="pick max-w-32"
            aria-label="To what"
            data-test="set-value"
          >
            <option value="">nothing</option>
            <option v-for="o in setting.type === 'boolean' ? ['true', 'false'] : setting.options" :key="o" :value="o">
              {{ optionName(o) }}
            </option>
          </select>
          <input
            v-else
            v-model="setValue"
            class="field w-28! py-0!"
            :type="TYPES[setting.type] ?? 'text'"
            step="any"
            placeholder="nothing"
            aria-label="To what"
            data-test="set-value"
          />
          <button class="act-main" data-test="set">Set</button>
        </form>
        <button class="act" data-test="show-chosen" @click="showChosen">Show only these</button>
        <button class="act" data-test="delete-chosen" @click="deleteChosen">Delete</button>
      </div>
    </footer>
    <p v-else class="caption border-rule flex items-baseline border-t px-3 py-1">
      <button class="link" title="The one before (,)" data-test="list-before" @click="step(-1)">‹ Previous</button
      ><button class="link" title="The next (.)" data-test="list-next" @click="step(1)">Next ›</button>
    </p>
  </section>
</template>
