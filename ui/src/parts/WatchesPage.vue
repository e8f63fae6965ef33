<script setup lang="ts">
// Watches: standing queries, made of what is at hand, with what they have told.
import { computed, reactive, ref, watch } from 'vue'
import type { Watch } from '../api/client'
import { lookAt } from '../desk/acts'
import { desk } from '../desk/desk'
import { metres } from '../desk/format'
import { deleteWatch, putWatch, watches } from '../desk/kept'
import { complain } from '../desk/notice'
import { selectedPerson } from '../desk/party'
import { categories } from '../desk/places'
import { inside, readInside, showWatch, sitesAtHand, watchEvents, watchWords } from '../desk/watches'

const making = ref(false)
const sites = computed(() => sitesAtHand(desk.standpoint, desk.spot, selectedPerson.value))
const draft = reactive({ site: '', name: '', within: 500, people: true, places: false, category: '' })
const site = computed(() => sites.value.find((s) => s.id === draft.site) ?? sites.value[0])

function begin(): void {
  making.value = true
  draft.site = sites.value[0]?.id ?? ''
}
watch(
  () => making.value && site.value,
  (s) => {
    if (!s) return
    draft.name = s.name
    draft.within = Math.round(s.draft.within_m ?? 500)
  },
)
async function save(): Promise<void> {
  const s = site.value
  if (!s) return
  const w = await putWatch({
    name: draft.name.trim(),
    ...s.draft,
    within_m: s.draft.area ? undefined : draft.within,
    people: draft.people,
    places: draft.places,
    categories: draft.places && draft.category ? [draft.category] : undefined,
  })
  making.value = false
  desk.watch = w.id
  await readInside()
}
function select(w: Watch): void {
  desk.watch = desk.watch === w.id ? null : w.id
  if (desk.watch) showWatch(w)
}
const pause = (w: Watch) => putWatch({ ...w, paused: !w.paused }, w).catch(complain)
const byId = computed(() => new Map(watches.value.map((w) => [w.id, w])))
const sorted = computed(() => [...watches.value].sort((a, b) => a.name.localeCompare(b.name)))
const shown = computed(() => watchEvents.value.filter((e) => !desk.watch || e.watch === desk.watch).slice(0, 100))
const clock = (t: string) => new Date(t).toLocaleTimeString('en-GB')
const WHY: Record<string, string> = {
  'centre moved': 'the centre moved',
  deleted: 'it was deleted',
  changed: 'it was changed',
  'stopped sharing': 'shares no longer',
}
</script>

<template>
  <section class="flex min-h-fit flex-1 flex-col" aria-labelledby="watches-title" data-test="watches-page">
    <header class="flex items-baseline gap-2 px-4 pt-3 pb-1">
      <h1 id="watches-title" class="flex-1 font-serif text-xl font-bold">Watches</h1>
      <button v-if="!making" class="act" data-test="new-watch" @click="begin">
        New watch <span class="key">Shift G</span>
      </button>
      <button class="link" data-test="to-people" @click="desk.partyPart = 'people'">
        People <span class="key">Shift T</span>
      </button>
    </header>
    <form
      v-if="making"
      class="border-rule grid grid-cols-2 gap-x-4 gap-y-1.5 border-b px-4 pb-2.5"
      data-test="watch-form"
      @submit.prevent="save().catch(complain)"
    >
      <label class="caption col-span-2"
        >Where
        <select v-model="draft.site" class="pick text-ink w-full max-w-none! text-base" data-test="watch-site">
          <option v-for="s in sites" :key="s.id" :value="s.id">{{ s.title }}</option>
        </select>
      </label>
      <label class="caption"
        >Name
        <input v-model="draft.name" class="field text-ink" maxlength="100" required data-test="watch-name" />
      </label>
      <label v-if="site && !site.draft.area" class="caption"
        >Within, in metres
        <input
          v-model.number="draft.within"
          class="field text-ink"
          type="number"
          min="1"
          :max="site.draft.follows ? 100000 : 20000000"
          required
          data-test="watch-within"
        />
      </label>
      <p class="col-span-2 flex flex-wrap items-center gap-x-4 gap-y-1">
        <label class="flex items-center gap-1.5"><input v-model="draft.people" type="checkbox" /> people</label>
        <label class="flex items-center gap-1.5"
          ><input v-model="draft.places" type="checkbox" data-test="watch-places" /> places</label
        >
        <select v-if="draft.places" v-model="draft.category" class="pick" aria-label="Which places">
          <option value="">of every category</option>
          <option v-for="c in categories" :key="c.id" :value="c.id">{{ c.name }}</option>
        </select>
      </p>
      <p class="col-span-2 flex gap-1">
        <button class="act-main" :disabled="!draft.people && !draft.places" data-test="save-watch">Save</button>
        <button type="button" class="act" @click="making = false">Cancel</button>
        <span class="caption flex-1 self-center leading-tight">What is inside when it begins is no event.</span>
      </p>
    </form>
    <ol class="ruled one-page max-h-2/5 min-h-20 shrink-0 overflow-y-auto" data-test="watches">
      <li v-for="w in sorted" :key="w.id">
        <button
          class="hover:bg-selected w-full px-4 py-1 text-left leading-tight outline-offset-[-2px]"
          :class="desk.watch === w.id ? 'bg-selected' : ''"
          :aria-expanded="desk.watch === w.id"
          :data-id="w.id"
          @click="select(w)"
        >
          <span class="block" :class="desk.watch === w.id ? 'font-medium' : ''">{{ w.name }}</span>
          <span class="caption block"
            ><span v-if="w.paused" class="text-madder">paused · </span>{{ watchWords(w) }}</span
          >
        </button>
        <div v-if="desk.watch === w.id" class="bg-selected px-4 pb-1.5" data-test="watch-acts">
          <p class="text-[15px]" data-test="inside">
            <template v-if="inside.length"
              >Inside now:
              <template v-for="(t, i) in inside.slice(0, 8)" :key="t.id"
                >{{ i ? ', ' : ''
                }}<button
                  class="underline"
                  @click="t.position && lookAt({ lat: t.position[1] as number, lng: t.position[0] as number }, 15)"
                >
                  {{ t.name }}</button
                ><span v-if="t.distance_m !== null" class="text-slate"> {{ metres(t.distance_m) }}</span></template
              ><template v-if="inside.length > 8"> and {{ inside.length - 8 }} more</template></template
            >
            <template v-else>Nobody and nothing is inside now.</template>
          </p>
          <p class="mt-1 flex flex-wrap gap-1">
            <button class="act" @click="showWatch(w)">Show on map</button>
            <button class="act" data-test="pause-watch" @click="pause(w)">{{ w.paused ? 'Go on' : 'Pause' }}</button>
            <button class="act" data-test="delete-watch" @click="deleteWatch(w).catch(complain)">Delete</button>
          </p>
        </div>
      </li>
    </ol>
    <p v-if="!sorted.length && !making" class="mx-4 my-2 border-l-2 border-ochre pl-3">
      A watch tells when somebody or something enters a ring or an area, or leaves it.
    </p>
    <h2 class="head">
      <span class="flex-1">{{ desk.watch ? `Events of “${byId.get(desk.watch)?.name ?? ''}”` : 'Events' }}</span>
    </h2>
    <ol class="ruled one-page min-h-24 grow basis-0 overflow-y-auto" data-test="watch-events" aria-live="polite">
      <li v-for="e in shown" :key="e.no" class="flex items-baseline gap-2 px-4 py-1" :data-no="e.no">
        <span class="text-slate w-9 shrink-0 text-right text-sm" title="The event's number">{{ e.no }}</span>
        <svg
          class="size-4 shrink-0 self-center"
          viewBox="0 0 16 16"
          fill="none"
          stroke-width="1.600"
          aria-hidden="true"
        >
          <path d="M11 2v12" stroke="var(--ochre)" stroke-dasharray="2 2" />
          <path
            :d="e.event === 'enters' ? 'M1 8h13M10.500 4.500 14 8l-3.500 3.500' : 'M15 8H2M5.500 4.500 2 8l3.500 3.500'"
            :stroke="e.event === 'enters' ? 'var(--verdigris)' : 'var(--madder)'"
          />
        </svg>
        <span class="min-w-0 flex-1 leading-tight">
          <button
            class="text-left"
            @click="e.position && lookAt({ lat: e.position[1] as number, lng: e.position[0] as number }, 15)"
          >
            <strong class="font-medium">{{ e.name || 'Somebody' }}</strong> {{ e.event }}
            <template v-if="!desk.watch">{{ byId.get(e.watch)?.name ?? 'a watch that is gone' }}</template>
          </button>
          <span v-if="WHY[e.why]" class="caption"> · {{ WHY[e.why] }}</span>
        </span>
        <span v-if="e.distance_m !== null" class="text-slate shrink-0 text-sm">{{ metres(e.distance_m) }}</span>
        <time class="text-slate shrink-0 text-sm" :datetime="e.at">{{ clock(e.at) }}</time>
      </li>
      <li v-if="!shown.length" class="caption px-4 py-1.5">Nothing has entered or left yet.</li>
    </ol>
  </section>
</template>
