<script setup lang="ts">
// The open field book: the map at the left, the page of the bench at its right, the benches as tabs cut into its edge.
import { useQuery } from '@tanstack/vue-query'
import { useEventListener } from '@vueuse/core'
import { computed, onMounted, ref, useTemplateRef, watch } from 'vue'
import { api, unwrap, type Feature } from './api/client'
import type { LatLng } from './chart/camera'
import { chart, copyPosition, doAgain, firstActs, fitRing, goTo, keepAt, keepHere, keepMiddle, lookAt, removePlace, show, standAt, takeBack } from './desk/acts'
import { MODES, NAMES, desk, type Bench, type Named, type Part } from './desk/desk'
import { begin, beginDrawing, beginHole, cancel, clickedAt, deleteVertex, dragVertex, editing, mark, nextVertex, split } from './desk/editing'
import { complain, notice } from './desk/notice'
import { placing, savePlacing } from './desk/placing'
import { nextGround, palette, toggleLettering, togglePalette } from './desk/palette'
import { canRedo, canUndo } from './desk/history'
import { loadKept, openingView, showView, viewOfKey } from './desk/kept'
import { showOnly, step } from './desk/listing'
import { crowded, findPlaces, followChanges, places } from './desk/places'
import { useNearby, useWay } from './desk/questions'
import { take, wait } from './desk/quick'
import { signedIn } from './desk/server'
import AroundPage from './parts/AroundPage.vue'
import JourneyPage from './parts/JourneyPage.vue'
import LayersPage from './parts/LayersPage.vue'
import PlacingPage from './parts/PlacingPage.vue'
import KeysDialog from './parts/KeysDialog.vue'
import MapPane from './parts/MapPane.vue'
import PlaceForm from './parts/PlaceForm.vue'
import PageMenu from './parts/PageMenu.vue'
import PlaceSlip from './parts/PlaceSlip.vue'
import PlacesPage from './parts/PlacesPage.vue'
import ReadingList from './parts/ReadingList.vue'
import RulerLine from './parts/RulerLine.vue'
import TopLine from './parts/TopLine.vue'
import WireLine from './parts/WireLine.vue'

defineProps<{ demo: LatLng | null }>()
const emit = defineEmits<{ leave: [] }>()

const benches: { id: Bench; title: string; key: string }[] = [
  { id: 'places', title: 'Places', key: 'L' },
  { id: 'around', title: 'Around', key: 'a' },
  { id: 'journey', title: 'Journey', key: 'j' },
]
const topLine = useTemplateRef('topLine')
const text = ref('')
const lineOpen = ref(false)
const readings = ref<Feature[]>([])
const pointer = ref<LatLng | null>(null)
const marked = ref<[number, number] | null>(null)
const wireOpen = ref(false)
const keysOpen = ref(false)

const { data: ground } = useQuery({ queryKey: ['regions'], refetchInterval: 5000, queryFn: () => unwrap(api.GET('/v1/regions')) })
const opening = computed(() => (ground.value?.regions[0]?.bbox as [number, number, number, number] | undefined) ?? null)
const { data: nearby, error: nearbyError } = useNearby()
const listed = computed(() => (desk.standpoint ? (nearby.value?.features ?? []) : []))
const inRing = computed(() => new Set(listed.value.map((f) => f.id!)))
const selected = computed(() => (desk.place ? places.get(desk.place) : undefined))

/** The map opens once it is known with which view. */
const ready = ref(false)
onMounted(async () => {
  signedIn.value = true
  await loadKept().catch(complain)
  // A link to a standpoint or to a way shows that, wherever else the map would open.
  if (!desk.view && !desk.standpoint && openingView.value) showView(openingView.value, false)
  ready.value = true
})
followChanges()
// The next one that is selected begins folded.
watch(() => desk.place, (id) => void (id || (desk.unfolded = false)))
// Where there are more places than the page holds, the one in the link is asked for.
watch([() => desk.place, crowded], ([id]) => void (id && crowded.value && findPlaces([id]).catch(complain)))

const showReadings = computed(() => lineOpen.value && text.value.trim().length > 1 && readings.value.length > 0)

function escape(): void {
  if (keysOpen.value) keysOpen.value = false
  else if (editing.open) cancel()
  else if (placing.open) placing.open = false
  else if (lineOpen.value) lineOpen.value = false
  else if (desk.spot) desk.spot = null
  else if (desk.place && desk.unfolded) desk.unfolded = false
  else if (desk.place) desk.place = null
  else if (desk.layers) desk.layers = false
  else if (desk.only.length) desk.only = []
  else if (wireOpen.value) wireOpen.value = false
}

function openBench(bench: Bench): void {
  desk.bench = bench
  desk.layers = false
  desk.unfolded = false
}

const { data: route } = useWay()
function fitShown(): void {
  const way = desk.bench === 'journey' && route.value?.geometry.coordinates
  if (way) return chart.value?.fit(way.map(([lng, lat]) => ({ lat: lat!, lng: lng! })))
  if (desk.only.length) return showOnly(desk.only.flatMap((id) => places.get(id) ?? []))
  const points = (inRing.value.size ? [...inRing.value].map((id) => places.get(id)) : [...places.values()]).flatMap((p) => (p?.at ? [p.at] : []))
  if (desk.standpoint) points.push(desk.standpoint)
  chart.value?.fit(points)
}

const menu = computed(() => [
  { title: 'Redo', act: doAgain, disabled: !canRedo.value && !(editing.open && editing.future.length) },
  { title: palette.value === 'day' ? 'Night' : 'Day', act: togglePalette },
  { title: 'Keys', act: () => void (keysOpen.value = true) },
  { title: 'Sign out', act: () => emit('leave') },
])

/** The spot or the place in hand. */
const inHand = computed<Named | null>(() => desk.spot ?? (selected.value?.at ? { ...selected.value.at, name: selected.value.name } : null))

function openPart(part: Part): void {
  openBench('places')
  desk.part = part
}
/** Puts a text into the top line, for whoever wants to see what it makes of it. */
function find(words: string): void {
  text.value = words
  topLine.value?.focus()
}
const drawAt = () => desk.spot

/** What keys do to the outline in hand; they go before all others. */
function outlineKey(e: KeyboardEvent): boolean {
  const [o, v] = [editing.draft.outline, editing.active]
  if (!editing.open || !o || o.kind === 'circle') return false
  const arrow = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.key]
  if (arrow && e.altKey && v && chart.value) {
    const camera = chart.value.camera
    const at = camera.toScreen(o.rings[v.ring]![v.i]!)
    const by = e.shiftKey ? 20 : 2
    mark()
    dragVertex(v, camera.fromScreen({ x: at.x + arrow[0]! * by, y: at.y + arrow[1]! * by }))
    return true
  }
  if (e.altKey || e.ctrlKey || e.metaKey) return false
  const acts: Record<string, (() => unknown) | false> = {
    Enter: editing.drawing && (() => (editing.drawing = false)),
    ' ': editing.drawing && (() => clickedAt(chart.value!.view)),
    Insert: () => (editing.drawing = !!v),
    Delete: deleteVertex,
    Backspace: deleteVertex,
    X: split,
    O: beginHole,
    '.': () => nextVertex(1),
    ',': () => nextVertex(-1),
    Escape: editing.drawing && (() => (editing.drawing = false)),
  }
  const act = acts[e.key]
  if (!act) return false
  act()
  return true
}

useEventListener(window, 'keydown', (e) => {
  const at = e.target as HTMLElement
  const typing = at.matches('input, textarea, select, [contenteditable]')
  if (!typing && outlineKey(e)) return e.preventDefault()
  if (e.key === 'Escape' && !typing) return escape()
  if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === 'z' && !typing) {
    e.preventDefault()
    return e.shiftKey ? doAgain() : takeBack()
  }
  if (typing || e.ctrlKey || e.metaKey || e.altKey || keysOpen.value || e.key === 'Shift') return
  if (take(e.key)) return e.preventDefault()
  const held = inHand.value
  const place = selected.value
  const acts: Record<string, (() => unknown) | false | null | undefined> = {
    '/': () => topLine.value?.focus(),
    '?': () => (keysOpen.value = true),
    a: () => openBench('around'),
    j: () => openBench('journey'),
    w: () => (wireOpen.value = !wireOpen.value),
    n: togglePalette,
    y: nextGround,
    b: toggleLettering,
    u: takeBack,
    U: doAgain,
    m: () => document.querySelector<HTMLElement>('[data-test=map]')?.focus(),
    h: desk.standpoint && fitRing,
    f: fitShown,
    k: desk.spot && (() => keepAt(desk.spot!, desk.spot!.name ? 'address' : 'map')),
    s: held && (() => standAt(held)),
    g: held && (() => goTo(held)),
    K: keepMiddle,
    H: keepHere,
    P: () => beginDrawing('path', drawAt()),
    A: () => beginDrawing('area', drawAt()),
    C: () => beginDrawing('circle', drawAt() ?? desk.view),
    c: held && (() => copyPosition(held)),
    l: place?.outline ? () => show(place) : held && (() => lookAt(held, 16)),
    e: place && (() => begin(place)),
    Delete: place && (() => removePlace(place)),
    t: () => (desk.by = MODES[(MODES.indexOf(desk.by) + 1) % MODES.length]!),
    v: () => (desk.layers = !desk.layers),
    Z: () => openPart('bin'),
    L: () => openPart('list'),
    S: () => openPart('kinds'),
    M: place && (() => (desk.unfolded = !desk.unfolded)),
    q: () => wait('show'),
    Q: () => wait('give'),
    z: () => (desk.only.length ? (desk.only = []) : place && showOnly([place])),
    '.': () => step(1).catch(complain),
    ',': () => step(-1).catch(complain),
    d: () => (desk.names = NAMES[(NAMES.indexOf(desk.names) + 1) % NAMES.length]!),
    Enter: placing.open && savePlacing,
    r: () => desk.bench === 'journey' && desk.destination && ([desk.standpoint, desk.destination] = [desk.destination, desk.standpoint]),
  }
  const view = /^[1-9]$/.test(e.key) && viewOfKey(Number(e.key))
  const act = view ? () => showView(view) : ((!held && firstActs.value[e.key]) || acts[e.key])
  if (act) {
    e.preventDefault()
    act()
  }
})
</script>

<template>
  <div class="desk">
    <header class="bg-paper border-ink col-span-full flex h-12 items-center gap-3 border-b px-3">
      <span class="hidden font-serif text-xl font-bold sm:inline">Viandante</span>
      <TopLine ref="topLine" v-model="text" v-model:open="lineOpen" @readings="readings = $event" />
      <button class="act" :disabled="!canUndo && !(editing.open && editing.past.length)" title="Undo (u)" data-test="undo" @click="takeBack">Undo <span class="key">u</span></button>
      <button class="act max-lg:hidden!" :disabled="!canRedo && !(editing.open && editing.future.length)" title="Redo (Shift U)" @click="doAgain">Redo</button>
      <button class="act max-lg:hidden!" @click="togglePalette">{{ palette === 'day' ? 'Night' : 'Day' }} <span class="key">n</span></button>
      <button class="act max-lg:hidden!" data-test="open-keys" @click="keysOpen = true">Keys <span class="key">?</span></button>
      <button class="act max-lg:hidden!" @click="emit('leave')">Sign out</button>
      <PageMenu :items="menu" />
    </header>

    <main class="map relative min-h-0">
      <MapPane v-if="ground && ready" :ground="ground.version" :credits="ground.regions.flatMap((r) => r.attribution ?? [])" :opening="opening" :in-ring="inRing" :marked="marked" @hover="pointer = $event" />
      <p v-if="desk.only.length" class="border-ink bg-paper absolute top-3 left-3 z-20 flex items-baseline gap-3 border-l-4 border-ochre px-3 py-1.5" data-test="only">
        {{ desk.only.length === 1 ? 'Only one is shown' : `Only ${desk.only.length} are shown` }}
        <button class="underline" data-test="show-all" @click="desk.only = []">Show all <span class="key">z</span></button>
      </p>
      <p
        v-if="notice"
        class="border-ink bg-paper absolute bottom-3 left-3 z-20 flex max-w-[85%] items-baseline gap-3 border-l-4 px-3 py-1.5"
        :class="notice.wrong ? 'border-madder' : 'border-verdigris'"
        role="status"
        data-test="notice"
      >
        {{ notice.text }}
        <button v-if="notice.undoable" class="text-madder font-medium underline" @click="takeBack">Undo</button>
      </p>
    </main>

    <aside class="page bg-paper border-ink flex min-h-0 flex-col" aria-label="The page of the bench">
      <ReadingList v-if="showReadings" :readings="readings" :active="topLine?.active ?? 0" class="min-h-0 flex-1 overflow-y-auto" @act="topLine?.act($event)" @point="topLine && (topLine.active = $event)" />
      <PlacingPage v-else-if="placing.open" class="min-h-0 flex-1 overflow-y-auto" />
      <PlaceForm v-else-if="editing.open" :key="editing.place?.id ?? 'new'" class="min-h-0 flex-1 overflow-y-auto" />
      <template v-else>
        <PlaceSlip v-if="selected" :place="selected" />
        <div v-show="!selected || !desk.unfolded" class="flex min-h-0 flex-1 flex-col overflow-y-auto" data-test="bench-page">
          <LayersPage v-if="desk.layers" />
          <PlacesPage v-else-if="desk.bench === 'places'" />
          <AroundPage
            v-else-if="desk.bench === 'around'"
            :features="listed"
            :truncated="nearby?.truncated ?? false"
            :error="nearbyError"
            :demo="demo"
            @find="find"
          />
          <JourneyPage v-else @mark="marked = $event" />
        </div>
      </template>
    </aside>

    <nav class="tabs bg-sea" aria-label="Benches">
      <button
        v-for="b in benches"
        :key="b.id"
        class="tab font-serif"
        :class="desk.bench === b.id ? 'tab-open' : ''"
        :aria-current="desk.bench === b.id ? 'page' : undefined"
        :title="`${b.title} (${b.key})`"
        :data-test="`bench-${b.id}`"
        @click="openBench(b.id)"
      >
        {{ b.title }}
      </button>
    </nav>

    <footer class="col-span-full">
      <RulerLine :pointer="pointer" />
      <WireLine v-model="wireOpen" />
    </footer>
    <KeysDialog v-model="keysOpen" />
  </div>
</template>

<style scoped>
.desk {
  display: grid;
  overflow: clip;
  height: 100%;
  grid-template: auto minmax(0, 1fr) auto / minmax(0, 1fr) 25.5rem 2.1rem;
}
.page {
  border-left: 1px solid var(--ink);
}
.tabs {
  display: flex;
  flex-direction: column;
  min-height: 0;
  overflow: hidden auto;
  border-left: 1px solid var(--ink);
  padding-top: 0.75rem;
  gap: 0.4rem;
}
.tab {
  writing-mode: vertical-rl;
  padding: 0.8rem 0.3rem;
  margin-left: -1px;
  border: 1px solid var(--ink);
  border-left-color: var(--ink);
  background: var(--card);
  border-radius: 0 0.6rem 0.6rem 0;
  width: 1.85rem;
  line-height: 1.2;
}
.tab-open {
  background: var(--paper);
  border-left-color: var(--paper);
  font-weight: 700;
}
/* A phone held upright: the page below the map, the tabs along its upper edge. */
@media (max-width: 719px) and (orientation: portrait) {
  .desk {
    grid-template: auto minmax(0, 1fr) auto minmax(0, 0.82fr) auto / minmax(0, 1fr);
  }
  .map {
    grid-row: 2;
  }
  .tabs {
    grid-row: 3;
    flex-direction: row;
    padding: 0.3rem 0.75rem 0;
    border-left: 0;
    border-top: 1px solid var(--ink);
  }
  .tab {
    writing-mode: horizontal-tb;
    width: auto;
    padding: 0.25rem 0.9rem;
    margin: 0 0 -1px;
    border: 1px solid var(--ink);
    border-radius: 0.6rem 0.6rem 0 0;
  }
  .tab-open {
    border-bottom-color: var(--paper);
  }
  .page {
    grid-row: 4;
    border-left: 0;
    border-top: 1px solid var(--ink);
  }
}
@media (max-width: 960px) and (orientation: landscape) {
  .desk {
    grid-template-columns: minmax(0, 1fr) 20rem 2.1rem;
  }
}
</style>
