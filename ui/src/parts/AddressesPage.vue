<script lang="ts">
import { declareKeys } from '../desk/keys'

const keys = declareKeys('Addresses in review', [
  { as: 'Enter', what: 'accept the one marked', on: { Enter: 'accept' } },
  {
    as: '1 to 9',
    what: 'take that one',
    on: { 1: 'one', 2: 'two', 3: 'three', 4: 'four', 5: 'five', 6: 'six', 7: 'seven', 8: 'eight', 9: 'nine' },
  },
  { as: '↑ ↓', what: 'mark another', on: { ArrowUp: 'up', ArrowDown: 'down' } },
  { as: 'h', what: 'place it by hand', on: { h: 'hand' } },
  { as: 'x', what: 'skip it', on: { x: 'skip' } },
])
</script>

<script setup lang="ts">
// Addresses: looked up in the background; those that are doubtful are looked through one by one, a key each.
import { useQuery } from '@tanstack/vue-query'
import { useEventListener, useIntervalFn } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import type { components } from '../api/schema'
import type { Feature } from '../api/client'
import {
  NEW_TITLE,
  addresses,
  beginAnew,
  byHand,
  choose,
  inHand,
  lookUp,
  marked,
  point,
  queryOf,
  readAddresses,
  readMoved,
  setLookup,
  skip,
  takeLines,
  takeMoved,
  undoLookup,
} from '../desk/addresses'
import { metres } from '../desk/format'
import { complain } from '../desk/notice'
import { collections } from '../desk/places'

const text = ref('')
const pasting = ref(false)
const into = ref('')
const others = computed(() => collections.value.filter((c) => c.title !== NEW_TITLE))
const running = computed(() => addresses.lookup?.state === 'running')
const number = (n: number | undefined) => (n ?? 0).toLocaleString('en')
const done = computed(() => {
  const l = addresses.lookup
  return l ? l.placed + l.doubtful + l.nothing : 0
})
const placed = computed(() =>
  (['sure', 'accepted', 'chosen', 'by_hand'] as const).reduce((n, s) => n + (addresses.counts[s] ?? 0), 0),
)
// Read again with every change of a feature, whoever made it.
useQuery({
  queryKey: computed(() => ['features', 'addresses', addresses.collection, addresses.state]),
  enabled: computed(() => collections.value.length > 0),
  queryFn: async () => {
    await readAddresses()
    return Date.now()
  },
})
watch(
  () => addresses.collection,
  (c) => void (c && readMoved().catch(() => {})), // without map data there is nothing to compare
  { immediate: true },
)
watch(() => [addresses.collection, addresses.state], beginAnew)
useIntervalFn(() => void (running.value && readAddresses().catch(complain)), 500)
const STATES: Record<string, string> = {
  running: 'under way',
  paused: 'paused',
  stopped: 'stopped',
  done: 'done',
  undone: 'undone',
}
const props = (f: Feature | undefined) => (f?.properties ?? {}) as components['schemas']['Properties']
/** What tells a candidate apart from what was typed. */
function remarks(f: Feature): string[] {
  const p = props(f)
  return [
    p.other_name && `also “${p.other_name}”`,
    p.number_unknown && 'this house number is not on the map',
    p.interpolated && `between ${(p.between ?? []).join(' and ')}`,
    p.ignored?.length && `without ${p.ignored.join(' ')}`,
    p.district,
  ].filter((s): s is string => !!s)
}
const query = computed(() => (inHand.value ? queryOf(inHand.value) : ''))
const words = computed(() => marked(query.value, addresses.candidates[addresses.active]))

async function take(): Promise<void> {
  await takeLines(text.value, into.value)
  text.value = ''
  pasting.value = false
}

useEventListener(
  window,
  'keydown',
  (e: KeyboardEvent) => {
    const at = e.target as HTMLElement
    if (at.matches('input, textarea, select, [contenteditable]') || document.querySelector('[role=dialog]')) return
    if (!inHand.value || (e.key === 'Enter' && at.matches('button, a'))) return
    const nth = (i: number) => addresses.candidates[i] && (() => choose(i))
    const acted = keys.press(e, {
      accept: nth(addresses.active),
      one: nth(0),
      two: nth(1),
      three: nth(2),
      four: nth(3),
      five: nth(4),
      six: nth(5),
      seven: nth(6),
      eight: nth(7),
      nine: nth(8),
      up: () => point(addresses.active - 1),
      down: () => point(addresses.active + 1),
      hand: byHand,
      skip,
    })
    if (acted) e.stopImmediatePropagation()
  },
  { capture: true },
)
</script>

<template>
  <section class="flex min-h-fit flex-1 flex-col" aria-label="Addresses" data-test="addresses-page">
    <div class="flex items-baseline gap-2 px-4 py-2">
      <select
        v-model="addresses.collection"
        class="pick min-w-0 max-w-44! flex-1"
        aria-label="The collection"
        data-test="addresses-collection"
      >
        <option v-for="c in collections" :key="c.id" :value="c.id">{{ c.title }}</option>
      </select>
      <span class="caption whitespace-nowrap" data-test="addresses-placed">{{ number(placed) }} placed</span>
      <button
        class="act ml-auto whitespace-nowrap"
        :aria-expanded="pasting"
        data-test="paste-addresses"
        @click="pasting = !pasting"
      >
        Paste …
      </button>
    </div>
    <form v-if="pasting" class="px-4 pb-2" @submit.prevent="take().catch(complain)">
      <textarea
        v-model="text"
        class="field h-28 w-full resize-y"
        placeholder="One address a line"
        aria-label="Addresses, one a line"
        data-test="address-lines"
        @keydown.esc.stop="pasting = false"
      />
      <p class="mt-1 flex gap-2">
        <button class="act-main" :disabled="!text.trim()" data-test="take-lines">Look up</button>
        <button type="button" class="act" @click="pasting = false">Cancel</button>
        <label class="caption ml-auto flex items-baseline gap-1">
          into
          <select v-model="into" class="pick max-w-36!" data-test="paste-into">
            <option value="">{{ NEW_TITLE }}</option>
            <option v-for="c in others" :key="c.id" :value="c.id">{{ c.title }}</option>
          </select>
        </label>
      </p>
    </form>

    <div v-if="addresses.lookup && addresses.lookup.state !== 'undone'" class="border-rule border-t px-4 py-2">
      <p class="flex items-baseline gap-2" role="status" data-test="lookup">
        <span class="min-w-0 flex-1">
          {{ number(addresses.lookup.placed) }} placed, {{ number(addresses.lookup.doubtful) }} doubtful,
          {{ number(addresses.lookup.nothing) }} not found
          <span class="caption">{{ STATES[addresses.lookup.state] }}</span>
        </span>
        <template v-if="running">
          <button class="act" data-test="pause-lookup" @click="setLookup('paused').catch(complain)">Pause</button>
          <button class="act" data-test="stop-lookup" @click="setLookup('stopped').catch(complain)">Stop</button>
        </template>
        <template v-else-if="addresses.lookup.state === 'paused'">
          <button class="act" data-test="resume-lookup" @click="setLookup('running').catch(complain)">Go on</button>
          <button class="act" data-test="stop-lookup" @click="setLookup('stopped').catch(complain)">Stop</button>
        </template>
        <button v-else class="act" data-test="undo-lookup" @click="undoLookup(addresses.lookup!.id).catch(complain)">
          Undo all
        </button>
      </p>
      <progress
        v-if="running || addresses.lookup.state === 'paused'"
        class="w-full"
        :value="done"
        :max="Math.max(1, addresses.lookup.total)"
      />
      <p v-if="addresses.lookup.trouble" class="text-madder" role="alert" data-test="lookup-trouble">
        {{ addresses.lookup.trouble }}
      </p>
    </div>
    <p v-if="addresses.counts.waiting && !running" class="px-4 py-2">
      <button class="act-main" data-test="look-up" @click="lookUp().catch(complain)">
        Look up {{ number(addresses.counts.waiting) }}
        {{ addresses.counts.waiting === 1 ? 'address' : 'addresses' }} without a position
      </button>
    </p>

    <div v-if="addresses.moved?.length" class="border-ochre mx-4 my-2 border-l-4 pl-3" data-test="moved">
      <p class="flex items-baseline gap-2">
        <span class="min-w-0 flex-1 font-medium">
          {{ number(addresses.moved.length) }} {{ addresses.moved.length === 1 ? 'address lies' : 'addresses lie' }}
          elsewhere in the new map data
        </span>
        <button class="act" data-test="take-all-moved" @click="takeMoved(null).catch(complain)">
          Take over the sure ones
        </button>
      </p>
      <ul class="ruled mt-1 max-h-40 overflow-y-auto">
        <li v-for="m in addresses.moved.slice(0, 100)" :key="m.id" class="flex items-baseline gap-2 py-0.5">
          <span class="min-w-0 flex-1 truncate" :title="`${m.was.label} → ${m.now.label ?? 'not found'}`">{{
            m.query
          }}</span>
          <span class="caption">{{ m.shift_m === null ? 'no longer found' : metres(m.shift_m) }}</span>
          <button v-if="m.now.at" class="link" @click="takeMoved([m.id]).catch(complain)">Take over</button>
        </li>
      </ul>
    </div>

    <nav class="border-rule flex gap-3 border-t px-4 pt-2" aria-label="What is looked through">
      <button
        v-for="s in ['doubtful', 'nothing'] as const"
        :key="s"
        class="border-b-2"
        :class="addresses.state === s ? 'border-madder font-medium' : 'text-slate border-transparent'"
        :aria-current="addresses.state === s"
        :data-test="`queue-${s}`"
        @click="addresses.state = s"
      >
        {{ number(addresses.counts[s]) }} {{ s === 'doubtful' ? 'doubtful' : 'not found' }}
      </button>
    </nav>
    <div v-if="inHand" class="flex flex-col gap-1 px-4 py-2" data-test="review">
      <p class="font-serif text-lg leading-snug" data-test="review-query">
        <template v-for="(w, i) in words" :key="i"
          ><s v-if="w.as === 'ignored'" class="text-slate decoration-madder" title="led nowhere">{{ w.text }}</s
          ><u
            v-else-if="w.as === 'corrected'"
            class="decoration-ochre decoration-2 underline-offset-2"
            :title="`read as ${w.read}`"
            >{{ w.text }}</u
          ><template v-else>{{ w.text }}</template></template
        >
      </p>
      <p v-if="inHand.name && !query.startsWith(inHand.name)" class="caption">{{ inHand.name }}</p>
      <ol class="ruled" data-test="candidates">
        <li
          v-for="(f, i) in addresses.candidates"
          :key="i"
          class="flex cursor-pointer items-baseline gap-2 py-1"
          :class="i === addresses.active ? 'bg-selected -mx-2 px-2' : ''"
          :aria-current="i === addresses.active"
          @click="point(i)"
        >
          <span class="key">{{ i + 1 }}</span>
          <span class="min-w-0 flex-1">
            <span class="block leading-tight">{{ f.properties.label }}</span>
            <span class="caption block leading-tight">{{ [props(f).kind, ...remarks(f)].join(' · ') }}</span>
          </span>
          <span>{{ Math.round((f.properties.confidence ?? 0) * 100) }} %</span>
          <button class="act" :data-test="`choose-${i + 1}`" @click.stop="choose(i)">Take</button>
        </li>
      </ol>
      <p v-if="!addresses.candidates.length" class="caption">
        Nothing on the map is like it<template v-if="addresses.unknown.length"
          >: {{ addresses.unknown.join(', ') }} led nowhere</template
        >.
      </p>
      <p class="mt-1 flex flex-wrap gap-1.5">
        <button
          class="act-main"
          :disabled="!addresses.candidates.length || addresses.busy"
          data-test="accept"
          @click="choose(addresses.active)"
        >
          Accept <span class="key">Enter</span>
        </button>
        <button class="act" :aria-pressed="addresses.byHand" data-test="by-hand" @click="byHand">
          {{ addresses.byHand ? 'Click on the map …' : 'Place by hand' }} <span class="key">h</span>
        </button>
        <button class="act" :disabled="addresses.busy" data-test="skip" @click="skip">
          Skip <span class="key">x</span>
        </button>
      </p>
    </div>
    <p v-else class="caption px-4 py-3" data-test="review-empty">
      {{
        addresses.counts.waiting || running
          ? 'What is doubtful comes here to be looked at.'
          : addresses.state === 'doubtful'
            ? 'Nothing is doubtful. Paste addresses, or take in a file with a column of them.'
            : 'Everything that was looked up was found.'
      }}
    </p>
  </section>
</template>
