<script setup lang="ts">
// The party: who is where, how long ago, how far and which way; joining, sharing, leaving.
import { computed, nextTick, ref, useTemplateRef, watch, watchEffect } from 'vue'
import { goTo, lookAt, standAt } from '../desk/acts'
import { desk } from '../desk/desk'
import { ageMs, ageWords, device } from '../desk/device'
import { bearing, metres, shortPosition } from '../desk/format'
import { deleteParty, parties, putParty } from '../desk/kept'
import { complain } from '../desk/notice'
import { openLinks } from '../desk/onward'
import {
  dropPerson,
  givePicture,
  guest,
  inParty,
  measuredFrom,
  now,
  party,
  people,
  showEverybody,
  showOnOpening,
  type Freshness,
  type Placed,
} from '../desk/party'
import { leaveParty, me, share, sharing, stopSharing } from '../desk/sharing'
import FlagMark from './FlagMark.vue'
import InviteDialog from './InviteDialog.vue'

const emit = defineEmits<{ leave: [] }>()
const inviting = ref(false)
const naming = ref(false)
const name = ref(me.value?.name ?? '')
const settings = ref(false)
const list = useTemplateRef('list')

const counts = computed(() => {
  const n = { live: 0, stale: 0, gone: 0, none: 0, silent: 0 }
  for (const p of inParty.value) n[p.fresh]++
  return n
})
const summary = computed(() => {
  const words: [Freshness, string][] = [
    ['live', 'live'],
    ['stale', 'not heard of lately'],
    ['gone', 'gone'],
    ['none', 'without a position yet'],
    ['silent', 'not sharing'],
  ]
  return words.flatMap(([f, w]) => (counts.value[f] ? [`${counts.value[f]} ${w}`] : [])).join(' · ')
})
const HEADS: Partial<Record<Freshness, string>> = {
  gone: 'Gone',
  none: 'No position yet',
  silent: 'Not sharing',
}
/** The list with a heading wherever another kind begins. */
const rows = computed(() =>
  inParty.value.map((p, i, all) => ({ ...p, head: p.fresh !== all[i - 1]?.fresh ? HEADS[p.fresh] : undefined })),
)
const inIt = computed(() => !!me.value && me.value.party === party.value?.id && people.has(me.value.member))

watchEffect(showOnOpening)

function age(p: Placed): string {
  if (p.fresh === 'none' || p.fresh === 'silent') return ''
  const accuracy = p.person.accuracyM === null ? '' : ` · ± ${metres(p.person.accuracyM)}`
  const words = ageWords(Math.max(0, now.value - p.person.timeMs))
  return `${p.fresh === 'live' ? '' : `${p.fresh}: `}${words}${accuracy}`
}
function select(p: Placed): void {
  desk.who = desk.who === p.person.id ? null : p.person.id
  if (desk.who && p.person.at) lookAt(p.person.at)
}
const named = (p: Placed) => ({ ...p.person.at!, name: p.person.name, accuracyM: p.person.accuracyM ?? undefined })

function begin(): void {
  if (guest.value) return void share(guest.value.name).catch(complain)
  naming.value = true
}
function go(): void {
  const to = name.value.trim()
  if (!to) return
  naming.value = false
  share(to).catch(complain)
}
function onKey(e: KeyboardEvent, i: number): void {
  const step = { ArrowDown: 1, ArrowUp: -1 }[e.key]
  if (!step) return
  e.preventDefault()
  ;(list.value?.querySelectorAll('[data-row]')[i + step] as HTMLElement | undefined)?.focus()
}
function picture(e: Event, p: Placed): void {
  const input = e.target as HTMLInputElement
  const file = input.files?.[0]
  input.value = ''
  if (file) givePicture(p.person, file).catch(complain)
}
async function leave(): Promise<void> {
  await leaveParty()
  if (guest.value) emit('leave')
}
function create(): void {
  putParty({ name: 'Party' }).then((p) => (desk.party = p.id), complain)
}
const KEEP = [
  { s: 0, title: 'keep no track' },
  { s: 86_400, title: 'keep tracks for a day' },
  { s: 7 * 86_400, title: 'for a week' },
  { s: 30 * 86_400, title: 'for 30 days' },
]
function change(to: Partial<{ name: string; stale_after_s: number; keep_track_s: number }>): void {
  const p = party.value!
  const body = { ...p, ...to }
  // Somebody is gone some time after his position is old.
  if (body.gone_after_s! <= body.stale_after_s!) body.gone_after_s = body.stale_after_s! * 2
  putParty(body, p).catch(complain)
}
watch(
  () => desk.who,
  async (id) => {
    await nextTick()
    if (id) list.value?.querySelector(`[data-id="${id}"]`)?.parentElement?.scrollIntoView({ block: 'nearest' })
  },
)
</script>

<template>
  <section class="flex min-h-fit flex-1 flex-col" aria-labelledby="party-title" data-test="party-page">
    <header class="px-4 pt-3 pb-1">
      <div class="flex items-baseline gap-2">
        <h1 id="party-title" class="min-w-0 flex-1 truncate font-serif text-xl font-bold" :title="party?.name">
          {{ party?.name ?? 'Party' }}
        </h1>
        <select
          v-if="parties.length > 1"
          class="pick"
          aria-label="Which party"
          data-test="which-party"
          :value="party?.id"
          @change="desk.party = ($event.target as HTMLSelectElement).value"
        >
          <option v-for="p in parties" :key="p.id" :value="p.id">{{ p.name }}</option>
        </select>
        <button v-if="!guest" class="link" data-test="to-watches" @click="desk.partyPart = 'watches'">
          Watches <span class="key">Shift N</span>
        </button>
      </div>
      <p class="caption" data-test="party-summary">{{ summary || 'Nobody is in it yet.' }}</p>
      <p v-if="party" class="mt-1.5 flex flex-wrap gap-1">
        <button class="act" data-test="show-everybody" @click="showEverybody">
          Show everybody <span class="key">Shift F</span>
        </button>
        <template v-if="!guest">
          <button class="act" data-test="invite" @click="inviting = true">Invite …</button>
          <button class="act" :aria-expanded="settings" data-test="party-settings" @click="settings = !settings">
            Settings
          </button>
          <button class="act" title="Another party" data-test="new-party" @click="create">New</button>
        </template>
      </p>
    </header>
    <div v-if="!party" class="m-4 border-l-2 border-verdigris pl-3">
      <p class="font-serif text-lg">People who share where they are.</p>
      <p class="mt-1">Make a party, then invite by a link; devices report over HTTP.</p>
      <button class="act-main mt-2" data-test="first-party" @click="create">Make a party</button>
    </div>
    <template v-else>
      <div v-if="settings && !guest" class="grid grid-cols-2 gap-x-4 gap-y-1 px-4 pb-2" data-test="party-form">
        <label class="caption col-span-2"
          >Name
          <input
            class="field text-ink"
            :value="party.name"
            data-test="party-name"
            @change="change({ name: ($event.target as HTMLInputElement).value })"
          />
        </label>
        <label class="caption"
          >A position is old after
          <select
            class="pick text-ink w-full max-w-none! text-base"
            :value="party.stale_after_s"
            @change="change({ stale_after_s: Number(($event.target as HTMLSelectElement).value) })"
          >
            <option v-for="s in [15, 60, 300, 900]" :key="s" :value="s">
              {{ s < 60 ? `${s} s` : `${s / 60} min` }}
            </option>
          </select>
        </label>
        <label class="caption"
          >Tracks
          <select
            class="pick text-ink w-full max-w-none! text-base"
            :value="party.keep_track_s"
            data-test="keep-track"
            @change="change({ keep_track_s: Number(($event.target as HTMLSelectElement).value) })"
          >
            <option v-for="k in KEEP" :key="k.s" :value="k.s">{{ k.title }}</option>
          </select>
        </label>
        <p class="col-span-2">
          <button class="link -ml-1" data-test="delete-party" @click="deleteParty(party).catch(complain)">
            Delete this party
          </button>
        </p>
      </div>
      <div class="border-rule border-y px-4 py-1.5" data-test="own-share">
        <form v-if="naming" class="flex items-end gap-2" @submit.prevent="go">
          <label class="caption flex-1"
            >Your name in the party
            <input v-model="name" class="field text-ink" maxlength="100" autofocus data-test="own-name" />
          </label>
          <button class="act-main" data-test="share-go">Share</button>
          <button type="button" class="act" @click="naming = false">Cancel</button>
        </form>
        <p v-else-if="sharing.on" class="flex flex-wrap items-center gap-2">
          <span class="min-w-40 flex-1 leading-tight" role="status">
            You share as <strong>{{ me?.name }}</strong><span
              v-if="device.simulated"
              class="text-madder font-serif italic"
            >
              (simulated)</span
            ><span class="caption block">{{
              sharing.trouble
                ? `${sharing.trouble} ${sharing.waiting} waiting to be sent.`
                : device.fix
                  ? `${ageWords(ageMs ?? 0)} · ± ${metres(device.fix.accuracyM)}`
                  : 'as soon as there is a position'
            }}</span>
          </span>
          <button
            class="act-main bg-madder! border-madder!"
            data-test="stop-sharing"
            @click="stopSharing().catch(complain)"
          >
            Stop sharing
          </button>
        </p>
        <p v-else class="flex flex-wrap items-center gap-2">
          <span class="caption min-w-32 flex-1 leading-tight">
            <template v-if="sharing.trouble">{{ sharing.trouble }}</template>
            <template v-else>Nobody sees where you are.</template>
          </span>
          <button class="act" data-test="share" @click="begin">
            Share my position <span class="key">Shift Y</span>
          </button>
          <button v-if="inIt || guest" class="act" data-test="leave-party" @click="leave().catch(complain)">
            Leave
          </button>
        </p>
      </div>
      <p class="caption px-4 pt-1.5 pb-0.5" data-test="party-from">
        <template v-if="measuredFrom"
          >From {{ measuredFrom.name ?? shortPosition(measuredFrom) }}, the nearest first</template
        >
        <template v-else>Select a place or a spot, and the nearest to it comes first.</template>
      </p>
      <ol
        ref="list"
        class="ruled one-page border-rule min-h-24 grow basis-0 overflow-y-auto border-t"
        data-test="people"
      >
        <li v-for="(p, i) in rows" :key="p.person.id">
          <h2 v-if="p.head" class="head mt-0! pt-1.5!">{{ p.head }}</h2>
          <button
            class="hover:bg-selected flex w-full items-center gap-2 px-4 py-1 text-left outline-offset-[-2px]"
            :class="desk.who === p.person.id ? 'bg-selected' : ''"
            :aria-expanded="desk.who === p.person.id"
            :data-id="p.person.id"
            :data-fresh="p.fresh"
            data-row
            @click="select(p)"
            @keydown="onKey($event, i)"
          >
            <FlagMark :person="p.person" :fresh="p.fresh" />
            <span class="min-w-0 flex-1 leading-tight">
              <span class="block truncate" :class="desk.who === p.person.id ? 'font-medium' : ''"
                >{{ p.person.name }}<span v-if="me?.member === p.person.id" class="caption"> (you)</span></span
              >
              <span
                v-if="age(p)"
                class="block truncate text-sm"
                :class="p.fresh === 'live' ? 'text-slate' : 'text-madder'"
                >{{ age(p) }}</span
              >
            </span>
            <template v-if="p.bearingDeg !== null">
              <svg
                class="text-madder size-4 shrink-0 landscape:max-[960px]:hidden"
                viewBox="0 0 16 16"
                aria-hidden="true"
                :style="{ transform: `rotate(${p.bearingDeg}deg)` }"
              >
                <path
                  d="M8 1v14M8 1 4.800 6M8 1l3.200 5"
                  fill="none"
                  stroke="currentColor"
                  stroke-width="1.500"
                  stroke-linecap="round"
                />
              </svg>
              <span class="text-slate w-14 shrink-0 text-right">{{ bearing(p.bearingDeg) }}</span>
              <span class="w-[4.3rem] shrink-0 text-right font-medium">{{ metres(p.distanceM) }}</span>
            </template>
          </button>
          <p
            v-if="desk.who === p.person.id"
            class="bg-selected flex flex-wrap gap-1 px-4 pb-1.5"
            data-test="person-acts"
          >
            <template v-if="p.person.at">
              <button class="act" @click="lookAt(p.person.at, 16)">Show on map</button>
              <button class="act" @click="goTo(named(p))">Go there</button>
              <button class="act" @click="standAt(named(p))">Stand there</button>
              <button class="act" @click="openLinks(named(p))">Open in …</button>
            </template>
            <button v-if="!guest" class="act" data-test="watch-person" @click="desk.partyPart = 'watches'">
              Watch …
            </button>
            <a
              v-if="party.keep_track_s"
              class="act"
              :href="`/v1/parties/${p.person.party}/members/${p.person.id}/track?format=gpx`"
              download
              >Track</a
            >
            <label v-if="!guest" class="act cursor-pointer focus-within:outline-2"
              >Picture …
              <input
                type="file"
                class="sr-only"
                accept="image/png,image/jpeg,image/svg+xml"
                data-test="person-picture"
                @change="picture($event, p)"
              />
            </label>
            <button v-if="!guest" class="act" data-test="drop-person" @click="dropPerson(p.person).catch(complain)">
              Remove
            </button>
          </p>
        </li>
      </ol>
    </template>
    <InviteDialog v-if="inviting && party" :party="party" @close="inviting = false" />
  </section>
</template>
