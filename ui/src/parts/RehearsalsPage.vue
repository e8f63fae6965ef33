<script setup lang="ts">
// Rehearsals: made of the way that is shown, of a drawn path or of a recorded track; kept, played, shared by link.
import { computed, reactive, ref } from 'vue'
import type { Rehearsal } from '../api/client'
import { copy } from '../desk/acts'
import { desk, type Mode, type Named } from '../desk/desk'
import { metres, seconds, shortPosition } from '../desk/format'
import { rehearsals } from '../desk/kept'
import { complain } from '../desk/notice'
import { places } from '../desk/places'
import { MANNER, dropRehearsal, ofWay, rehearse, rehearseFile, rehearsing, renameRehearsal } from '../desk/rehearsing'
import { rehearseJourney } from '../desk/underway'

const manner = reactive({ ...MANNER, seed: 1 + Math.floor(Math.random() * 999) })
const busy = ref(false)
const file = ref<HTMLInputElement>()
const ERRORS = [
  { m: 0, title: 'none' },
  { m: 5, title: '5 m, open sky' },
  { m: 10, title: '10 m, among houses' },
  { m: 30, title: '30 m, poor' },
]
const path = computed(() => {
  const p = desk.place ? places.get(desk.place) : undefined
  return p?.outline?.kind === 'path' ? p : null
})
const called = (p: Named) => p.name ?? shortPosition(p)
const named = computed(() =>
  desk.standpoint && desk.destination ? `from ${called(desk.standpoint)} to ${called(desk.destination)}` : '',
)

async function run(what: () => Promise<unknown>): Promise<void> {
  busy.value = true
  await what().catch(complain)
  busy.value = false
}
async function alongWay(): Promise<void> {
  const body = ofWay(desk.standpoint!, desk.destination!, desk.by, { ...manner })
  await rehearse(body)
  await rehearseJourney(rehearsing.row!.id)
}
function alongPath(): Promise<void> {
  const p = path.value!
  const line = p.outline!.kind === 'path' ? p.outline!.rings[0] : []
  return rehearse({
    ...manner,
    wrong_turns: 0,
    name: `Along ${p.name}`.slice(0, 100),
    by: desk.by,
    line: line.map((q) => [q.lng, q.lat]),
  })
}
function recorded(e: Event): void {
  const input = e.target as HTMLInputElement
  const chosen = input.files?.[0]
  if (chosen) void run(() => rehearseFile(chosen, desk.by))
  input.value = ''
}
const link = (r: Rehearsal) => `${location.origin}/journey?rehearsal=${r.id}`
const stream = (r: Rehearsal) => `${location.origin}/v1/rehearsals/${r.id}/stream?speed=1`
const MODES: Record<Mode, string> = { foot: 'on foot', bicycle: 'by bicycle', car: 'by car' }
const renaming = ref<string | null>(null)
function rename(r: Rehearsal, name: string): void {
  renaming.value = null
  if (name.trim() && name !== r.name) void run(() => renameRehearsal(r, name.trim()))
}
const sorted = computed(() => [...rehearsals.value].sort((a, b) => (a.id < b.id ? 1 : -1)))
</script>

<template>
  <section class="flex min-h-fit flex-1 flex-col" aria-labelledby="rehearsals-title" data-test="rehearsals-page">
    <header class="flex items-baseline px-4 pt-3 pb-1">
      <h1 id="rehearsals-title" class="flex-1 font-serif text-xl font-bold">Rehearsals</h1>
      <button class="link" data-test="to-way" @click="desk.journeyPart = 'way'">
        The way <span class="key">j</span>
      </button>
    </header>
    <p class="caption px-4">A simulated device travels in place of yours; the page and an app can follow it.</p>
    <form class="grid grid-cols-2 gap-x-4 gap-y-1 px-4 pt-2 pb-3" @submit.prevent>
      <label class="caption">
        Error of its position
        <select v-model.number="manner.error_m" class="pick text-ink w-full max-w-none! text-base" data-test="error">
          <option v-for="e in ERRORS" :key="e.m" :value="e.m">{{ e.title }}</option>
        </select>
      </label>
      <label class="caption">
        Compass
        <select v-model="manner.compass" class="pick text-ink w-full max-w-none! text-base" data-test="compass">
          <option value="good">good</option>
          <option value="uncalibrated">uncalibrated</option>
          <option value="none">none</option>
        </select>
      </label>
      <div class="col-span-2 grid grid-cols-4 items-end gap-x-3">
        <label
          v-for="[name, title] in [
            ['wrong_turns', 'Wrong turns'],
            ['signal_lost', 'Signal lost'],
            ['pauses', 'Stops'],
            ['seed', 'Seed'],
          ] as const"
          :key="name"
          class="caption"
        >
          {{ title }}
          <input
            v-model.number="manner[name]"
            class="field"
            type="number"
            min="0"
            :max="name === 'seed' ? 9007199254740991 : 20"
            :data-test="name"
          />
        </label>
      </div>
      <div class="col-span-2 mt-2 flex flex-wrap gap-1">
        <button
          v-if="desk.standpoint && desk.destination"
          class="act-main"
          :disabled="busy"
          :title="named"
          data-test="rehearse-way"
          @click="run(alongWay)"
        >
          Rehearse the way
        </button>
        <button v-if="path" class="act" :disabled="busy" data-test="rehearse-path" @click="run(alongPath)">
          Along “{{ path.name }}”
        </button>
        <button class="act" :disabled="busy" data-test="rehearse-file" @click="file?.click()">From a GPX file …</button>
        <input
          ref="file"
          type="file"
          class="hidden"
          accept=".gpx,application/gpx+xml"
          data-test="gpx-file"
          @change="recorded"
        />
      </div>
      <p v-if="!desk.standpoint || !desk.destination" class="caption col-span-2">
        To rehearse a way, take a standpoint and choose a goal; or select a path.
      </p>
    </form>
    <h2 class="head">Kept</h2>
    <ol v-if="sorted.length" class="ruled min-h-24 grow basis-0 overflow-y-auto" data-test="rehearsals">
      <li v-for="r in sorted" :key="r.id" class="px-4 py-1.5" :class="rehearsing.row?.id === r.id ? 'bg-selected' : ''">
        <div class="flex items-baseline gap-2">
          <input
            v-if="renaming === r.id"
            class="field flex-1"
            :value="r.name"
            aria-label="Name"
            data-test="rename-field"
            @change="rename(r, ($event.target as HTMLInputElement).value)"
            @keydown.esc.stop="renaming = null"
          />
          <span v-else class="min-w-0 flex-1 font-medium">{{ r.name }}</span>
          <button class="act" :disabled="busy" data-test="play-kept" @click="run(() => rehearseJourney(r.id))">
            Play
          </button>
        </div>
        <p class="caption">
          {{ MODES[r.by] }} · {{ metres(r.distance_m ?? 0) }} · {{ seconds(r.duration_s ?? 0) }} · ±
          {{ r.error_m }} m<template v-if="r.wrong_turns">
            · {{ r.wrong_turns }} wrong {{ r.wrong_turns === 1 ? 'turn' : 'turns' }}</template
          ><template v-if="r.signal_lost"> · signal lost</template
          ><template v-if="r.compass !== 'good'"> · compass {{ r.compass }}</template> · seed {{ r.seed }}
        </p>
        <p class="-ml-1">
          <a class="link" :href="`/v1/rehearsals/${r.id}/track?format=gpx`" download data-test="as-gpx">GPX</a>
          <a class="link" :href="`/v1/rehearsals/${r.id}/track?format=geojsonseq`" download data-test="as-sequence"
            >GeoJSON sequence</a
          >
          <button class="link" @click="copy(link(r), 'the link')">Copy link</button>
          <button class="link" data-test="copy-stream" @click="copy(stream(r), 'the stream')">Copy stream</button>
          <button class="link" data-test="rename" @click="renaming = r.id">Rename</button>
          <button class="link" data-test="drop-rehearsal" @click="run(() => dropRehearsal(r))">Delete</button>
        </p>
      </li>
    </ol>
    <p v-else class="caption px-4 py-2">None yet.</p>
  </section>
</template>
