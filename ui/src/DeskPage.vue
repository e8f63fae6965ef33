<script lang="ts">
import { declareKeys } from './desk/keys'

const anywhere = declareKeys('Anywhere', [
  { as: '/', what: 'write into the top line', on: { '/': 'write' } },
  {
    as: 'Shift L · S · Z · # · &',
    what: 'Places: list · collections and categories · bin · files · addresses',
    on: { L: 'list', S: 'kinds', Z: 'bin', '#': 'files', '&': 'addresses' },
  },
  { as: 'a · j · %', what: 'Around · Journey · Proof', on: { a: 'around', j: 'journey', '%': 'proof' } },
  { as: 'v', what: 'views and layers', on: { v: 'layers' } },
  {
    as: '1 to 9',
    what: 'saved views',
    on: { 1: 'view', 2: 'view', 3: 'view', 4: 'view', 5: 'view', 6: 'view', 7: 'view', 8: 'view', 9: 'view' },
  },
  { as: 'q, digit', what: 'what has that quick key', on: { q: 'quick' } },
  { as: '. · ,', what: 'next in the list · previous', on: { '.': 'next', ',': 'previous' } },
  {
    as: 'u · Shift U',
    what: 'undo · redo; Ctrl Z, too',
    on: { u: 'undo', U: 'redo', 'Ctrl+z': 'undo', 'Ctrl+Shift+z': 'redo' },
  },
  { as: 'w', what: 'the wire', on: { w: 'wire' } },
  { as: 'n', what: 'day and night', on: { n: 'night' } },
  { as: 'y', what: 'next style of the ground', on: { y: 'ground' } },
  { as: 'b', what: 'large lettering', on: { b: 'lettering' } },
  { as: 'd', what: 'names beside places', on: { d: 'names' } },
  { as: 'Esc', what: 'close what is open', on: { Escape: 'close' } },
  { as: 'Shift I', what: 'open it on a phone', on: { I: 'phone' } },
  { as: '?', what: 'this list', on: { '?': 'keys' } },
])

const onMap = declareKeys('On the map', [
  { as: 'm', what: 'go to the map', on: { m: 'map' } },
  { as: 'h', what: 'show the ring', on: { h: 'ring' } },
  { as: 'f', what: 'fit what is shown', on: { f: 'fit' } },
])

const onSpot = declareKeys('A spot or a place', [
  { as: 'k', what: 'save a place at the spot', on: { k: 'keep' } },
  { as: 'Shift K · H', what: 'save one in the middle · where I am', on: { K: 'keepMiddle', H: 'keepHere' } },
  { as: 's · g', what: 'stand here · go there', on: { s: 'stand', g: 'go' } },
  { as: 'Shift M', what: 'unfold the slip, fold it', on: { M: 'more' } },
  { as: 'c', what: 'copy the position', on: { c: 'copy' } },
  { as: 'l · !', what: 'show on map · find it, compass in hand', on: { l: 'look', '!': 'finder' } },
  { as: 'z', what: 'show only this · all', on: { z: 'only' } },
  { as: 'Shift Q, digit', what: 'give it a quick key', on: { Q: 'giveQuick' } },
  { as: 'e · Del', what: 'edit · delete', on: { e: 'edit', Delete: 'remove' } },
  { as: 'Shift P · A · C', what: 'draw a path · an area · a circle', on: { P: 'path', A: 'area', C: 'circle' } },
])

const onWay = declareKeys('Journey', [
  { as: 't', what: 'on foot, by bicycle, by car', on: { t: 'mode' } },
  { as: 'r', what: 'reverse it', on: { r: 'reverse' } },
  { as: 'Shift J', what: 'rehearsals', on: { J: 'rehearsals' } },
  { as: 'Shift B', what: 'begin, end', on: { B: 'begin' } },
  { as: 'Shift W · V', what: 'the whole way, and back · the voice', on: { W: 'whole', V: 'voice' } },
  { as: 'Shift R, 1 to 3', what: 'report: blocked, slow, mind this', on: { R: 'report' } },
])

const onParty = declareKeys('Together and onward', [
  { as: 'Shift T · N', what: 'the party · watches', on: { T: 'party', N: 'watches' } },
  { as: 'Shift F', what: 'show everybody', on: { F: 'everybody' } },
  { as: '( · )', what: 'who is before · who is next', on: { '(': 'before', ')': 'after' } },
  { as: 'Shift Y', what: 'share my position, stop', on: { Y: 'share' } },
  { as: 'Shift G', what: 'a new watch', on: { G: 'watch' } },
  { as: 'Shift O', what: 'open in another app', on: { O: 'onward' } },
  { as: 'Shift E', what: 'emergency', on: { E: 'emergency' } },
])

const onPublish = declareKeys('Out of the workbench', [
  { as: '@', what: 'tokens, embed, picture', on: { '@': 'publish' } },
  { as: '*', what: 'the reference', on: { '*': 'reference' } },
])

const onDevice = declareKeys('The device', [
  { as: 'o', what: 'follow it, heading up, or not', on: { o: 'follow' } },
  { as: 'Shift D', what: 'the standpoint follows it', on: { D: 'here' } },
  { as: 'i', what: 'its raw readings', on: { i: 'readings' } },
  { as: 'p', what: 'play a rehearsal, pause', on: { p: 'play' } },
  { as: 'x · Shift X', what: 'a second on · a second back', on: { x: 'on', X: 'back' } },
  { as: '< · >', what: 'slower · faster', on: { '<': 'slower', '>': 'faster' } },
])
</script>

<script setup lang="ts">
// The open field book: the map at the left, the page of the bench at its right, the benches as tabs cut into its edge.
import { useQuery } from '@tanstack/vue-query'
import { useEventListener } from '@vueuse/core'
import { computed, nextTick, onMounted, ref, useTemplateRef, watch } from 'vue'
import { api, unwrap, type Feature } from './api/client'
import type { LatLng } from './chart/camera'
import {
  chart,
  copyPosition,
  doAgain,
  firstActs,
  fitRing,
  goTo,
  keepAt,
  keepHere,
  keepMiddle,
  lookAt,
  removePlace,
  show,
  standAt,
  takeBack,
} from './desk/acts'
import { setInRing } from './desk/around'
import { MODES, NAMES, desk, type Bench, type Named, type Part, type PartyPart } from './desk/desk'
import { begin, beginDrawing, cancel, editing } from './desk/editing'
import { outlineKey } from './desk/outlinekeys'
import { complain, notice } from './desk/notice'
import { placing, savePlacing } from './desk/placing'
import { nextGround, palette, toggleLettering, togglePalette } from './desk/palette'
import { canRedo, canUndo } from './desk/history'
import { loadKept, openingView, showView, viewOfKey } from './desk/kept'
import { showOnly, step } from './desk/listing'
import { crowded, findPlaces, followChanges, places } from './desk/places'
import { standStill, standWithDevice } from './desk/device'
import { followAgain } from './desk/follow'
import { followLink, playOrPause, rehearsing, setSpeed, stepBy } from './desk/rehearsing'
import { REPORTS, begin as setOut, end, nextVoice, report, resume, toggleWhole, underWay } from './desk/underway'
import { SPEEDS } from './device/player'
import { useNearby, useWay } from './desk/questions'
import { guest, selectedPerson, showEverybody, stepPerson } from './desk/party'
import { openLinks } from './desk/onward'
import { take, wait } from './desk/quick'
import { signedIn } from './desk/server'
import { comeBack } from './desk/unsaved'
import AroundPage from './parts/AroundPage.vue'
import EmergencyButton from './parts/EmergencyButton.vue'
import EmergencyDialog from './parts/EmergencyDialog.vue'
import OnwardDialog from './parts/OnwardDialog.vue'
import PartyPage from './parts/PartyPage.vue'
import WatchesPage from './parts/WatchesPage.vue'
import DeviceBar from './parts/DeviceBar.vue'
import RawReadings from './parts/RawReadings.vue'
import RehearsalsPage from './parts/RehearsalsPage.vue'
import RoadBook from './parts/RoadBook.vue'
import JourneyPage from './parts/JourneyPage.vue'
import LayersPage from './parts/LayersPage.vue'
import PlacingPage from './parts/PlacingPage.vue'
import KeysDialog from './parts/KeysDialog.vue'
import MapPane from './parts/MapPane.vue'
import PhoneDialog from './parts/PhoneDialog.vue'
import PlaceForm from './parts/PlaceForm.vue'
import PageMenu from './parts/PageMenu.vue'
import PlaceSlip from './parts/PlaceSlip.vue'
import PlacesPage from './parts/PlacesPage.vue'
import ProofPage from './parts/ProofPage.vue'
import PublishPage from './parts/PublishPage.vue'
import ReadingList from './parts/ReadingList.vue'
import RulerLine from './parts/RulerLine.vue'
import TopLine from './parts/TopLine.vue'
import WireLine from './parts/WireLine.vue'

defineProps<{ demo: LatLng | null }>()
const emit = defineEmits<{ leave: [] }>()

const allBenches: { id: Bench; title: string; key: string }[] = [
  { id: 'places', title: 'Places', key: 'L' },
  { id: 'around', title: 'Around', key: 'a' },
  { id: 'journey', title: 'Journey', key: 'j' },
  { id: 'proof', title: 'Proof', key: '%' },
  { id: 'party', title: 'Party', key: 'Shift T' },
  { id: 'publish', title: 'Publish', key: '@' },
]
const benches = computed(() => (guest.value ? allBenches.filter((b) => b.id === 'party') : allBenches))
const topLine = useTemplateRef<InstanceType<typeof TopLine>>('topLine')
const text = ref('')
const lineOpen = ref(false)
const readings = ref<Feature[]>([])
const pointer = ref<LatLng | null>(null)
const marked = ref<[number, number] | null>(null)
const wireOpen = ref(false)
const keysOpen = ref(false)
const phoneOpen = ref(false)
const readingsOpen = ref(false)
const emergencyOpen = ref(false)

const { data: ground } = useQuery({
  queryKey: ['regions'],
  refetchInterval: 5000,
  queryFn: () => unwrap(api.GET('/v1/regions')),
})
const opening = computed(() => (ground.value?.regions[0]?.bbox as [number, number, number, number] | undefined) ?? null)
const { data: nearby, error: nearbyError } = useNearby()
const listed = computed(() => (desk.standpoint ? (nearby.value?.features ?? []) : []))
const inRing = computed(() => new Set(listed.value.map((f) => f.id!)))
watch(listed, setInRing, { immediate: true })
const selected = computed(() => (desk.place ? places.get(desk.place) : undefined))

/** The map opens once it is known with which view. */
const ready = ref(false)
onMounted(async () => {
  signedIn.value = true
  await loadKept().catch(complain)
  // A link to a standpoint or to a way shows that, wherever else the map would open.
  if (!desk.view && !desk.standpoint && openingView.value) showView(openingView.value, false)
  ready.value = true
  if (desk.underWay) await resume().catch(complain)
  followLink()
  await comeBack().catch(complain)
  // Where the link has the standpoint follow the device, or a journey under way, that goes on.
  if (desk.here && !desk.rehearsal) await standWithDevice().catch(complain)
})
followChanges()
// The next one that is selected begins folded.
watch(
  () => desk.place,
  (id) => void (id || (desk.unfolded = false)),
)
// Where there are more places than the page holds, the one in the link is asked for.
watch([() => desk.place, crowded], ([id]) => void (id && crowded.value && findPlaces([id]).catch(complain)))

const nothing = computed<string>(() => topLine.value?.nothing ?? '')
const showReadings = computed(
  () => lineOpen.value && text.value.trim().length > 1 && (readings.value.length > 0 || !!nothing.value),
)

function escape(): void {
  if (editing.open) cancel()
  else if (placing.open) placing.open = false
  else if (lineOpen.value) lineOpen.value = false
  else if (underWay.reporting) underWay.reporting = false
  else if (desk.spot) desk.spot = null
  else if (desk.place && desk.unfolded) desk.unfolded = false
  else if (desk.place) desk.place = null
  else if (desk.layers) desk.layers = false
  else if (desk.bench === 'party' && (desk.who || desk.watch)) desk.who = desk.watch = null
  else if (desk.only.length) desk.only = []
  else if (readingsOpen.value) readingsOpen.value = false
  else if (wireOpen.value) wireOpen.value = false
}

const finding = computed(() => desk.bench === 'around' && desk.around.part === 'finder' && !!desk.place)
function openBench(bench: Bench): void {
  if (bench === 'around' && desk.bench === 'around') desk.around.part = 'list'
  if (bench === 'journey' && desk.bench === 'journey') desk.journeyPart = 'way'
  if (bench === 'party' && desk.bench === 'party') desk.partyPart = 'people'
  desk.bench = bench
  desk.layers = false
  desk.unfolded = false
}

const { data: route } = useWay()
function fitShown(): void {
  const way = desk.bench === 'journey' && route.value?.geometry.coordinates
  if (desk.underWay) return toggleWhole()
  if (way) return chart.value?.fit(way.map(([lng, lat]) => ({ lat: lat!, lng: lng! })))
  if (desk.bench === 'party') return showEverybody()
  if (desk.only.length) return showOnly(desk.only.flatMap((id) => places.get(id) ?? []))
  const points = (inRing.value.size ? [...inRing.value].map((id) => places.get(id)) : [...places.values()]).flatMap(
    (p) => (p?.at ? [p.at] : []),
  )
  if (desk.standpoint) points.push(desk.standpoint)
  chart.value?.fit(points)
}

const menu = computed(() => [
  { title: 'Redo', act: doAgain, disabled: !canRedo.value && !(editing.open && editing.future.length) },
  { title: palette.value === 'day' ? 'Night' : 'Day', act: togglePalette },
  ...(guest.value ? [] : [{ title: 'On a phone', act: () => void (phoneOpen.value = true) }]),
  { title: 'Keys', act: () => void (keysOpen.value = true) },
  { title: 'Sign out', act: () => emit('leave') },
])

/** The spot or the place in hand. */
const inHand = computed<Named | null>(
  () => desk.spot ?? (selected.value?.at ? { ...selected.value.at, name: selected.value.name } : null),
)

function openPart(part: Part): void {
  openBench('places')
  desk.part = part
}
/** Puts a text into the top line, for whoever wants to see what it makes of it. */
function find(words: string): void {
  text.value = words
  topLine.value?.focus()
}
/** Opens a part of the bench Party, and presses a button there. */
async function openParty(part: PartyPart, button?: string): Promise<void> {
  if (desk.bench !== 'party') openBench('party')
  desk.partyPart = part
  await nextTick()
  if (button)
    document
      .querySelector<HTMLElement>(`[data-test=${button}], [data-test=${button === 'share' ? 'stop-sharing' : button}]`)
      ?.click()
}
/** What is in hand, or where one goes, in another app. */
function openOnward(): void {
  const p = selected.value
  if (desk.bench === 'journey' && desk.destination && !p && !desk.spot) return openLinks(desk.destination, 'route')
  if (p) return openLinks({ ...p.at, name: p.name, id: p.id, collection: p.collection })
  const person = selectedPerson.value
  const goal = desk.spot ?? (person?.at && { ...person.at, name: person.name }) ?? desk.standpoint ?? desk.view
  if (goal) openLinks(goal)
}
const drawAt = () => desk.spot
function openFinder(): void {
  openBench('around')
  desk.around.part = 'finder'
}

/** The one after a value in a list, the first after the last. */
const following = <T,>(list: readonly T[], now: T): T => list[(list.indexOf(now) + 1) % list.length]!

useEventListener(window, 'keydown', (e) => {
  const typing = (e.target as HTMLElement).matches('input, textarea, select, [contenteditable]')
  const modal = document.querySelector('[role=dialog]') // it has keys of its own
  if (typing || modal || e.key === 'Shift') return
  if (outlineKey(e)) return
  const plain = !e.ctrlKey && !e.metaKey && !e.altKey
  if (plain && e.key !== 'Escape' && take(e.key)) return e.preventDefault()
  const held = inHand.value
  const first = plain && !held && firstActs.value[e.key]
  if (first) {
    e.preventDefault()
    return first()
  }
  if (plain && e.key === 'Enter' && placing.open) {
    e.preventDefault()
    return savePlacing()
  }
  const reported = underWay.reporting && plain && REPORTS[Number(e.key) - 1]
  if (reported) {
    e.preventDefault()
    return void report(reported).catch(complain)
  }
  const place = selected.value
  const view = viewOfKey(Number(e.key))
  void (
    anywhere.press(e, {
      write: () => topLine.value?.focus(),
      list: () => openPart('list'),
      kinds: () => openPart('kinds'),
      bin: () => openPart('bin'),
      files: () => openPart('files'),
      addresses: () => openPart('addresses'),
      around: () => openBench('around'),
      journey: () => openBench('journey'),
      proof: !guest.value && (() => openBench('proof')),
      layers: () => (desk.layers = !desk.layers),
      view: view && (() => showView(view)),
      quick: () => wait('show'),
      next: () => step(1).catch(complain),
      previous: () => step(-1).catch(complain),
      undo: takeBack,
      redo: doAgain,
      wire: () => (wireOpen.value = !wireOpen.value),
      night: togglePalette,
      ground: nextGround,
      lettering: toggleLettering,
      names: () => (desk.names = following(NAMES, desk.names)),
      close: escape,
      phone: !guest.value && (() => (phoneOpen.value = true)),
      keys: () => (keysOpen.value = true),
    }) ||
    onMap.press(e, {
      map: () => document.querySelector<HTMLElement>('[data-test=map]')?.focus(),
      ring: desk.standpoint && fitRing,
      fit: fitShown,
    }) ||
    onSpot.press(e, {
      keep: desk.spot && (() => keepAt(desk.spot!, desk.spot!.name ? 'address' : 'map')),
      keepMiddle,
      keepHere,
      stand: held && (() => standAt(held)),
      go: held && (() => goTo(held)),
      more: place && (() => (desk.unfolded = !desk.unfolded)),
      copy: held && (() => copyPosition(held)),
      look: place?.outline ? () => show(place) : held && (() => lookAt(held, 16)),
      finder: place?.at && openFinder,
      only: () => (desk.only.length ? (desk.only = []) : place && showOnly([place])),
      giveQuick: () => wait('give'),
      edit: place && (() => begin(place)),
      remove: place && (() => removePlace(place)),
      path: () => beginDrawing('path', drawAt()),
      area: () => beginDrawing('area', drawAt()),
      circle: () => beginDrawing('circle', drawAt() ?? desk.view),
    }) ||
    onWay.press(e, {
      mode: () => (desk.by = following(MODES, desk.by)),
      reverse:
        desk.bench === 'journey' &&
        desk.destination &&
        (() => ([desk.standpoint, desk.destination] = [desk.destination, desk.standpoint])),
      rehearsals: () => {
        openBench('journey')
        desk.journeyPart = 'rehearsals'
      },
      begin: desk.underWay ? end : route.value && (() => void setOut(route.value!).catch(complain)),
      whole: desk.underWay && toggleWhole,
      voice: nextVoice,
      report: desk.underWay && (() => (underWay.reporting = !underWay.reporting)),
    }) ||
    onParty.press(e, {
      party: () => openParty('people'),
      watches: !guest.value && (() => openParty('watches')),
      everybody: showEverybody,
      before: () => stepPerson(-1),
      after: () => stepPerson(1),
      share: () => openParty('people', 'share'),
      watch: !guest.value && (() => openParty('watches', 'new-watch')),
      onward: openOnward,
      emergency: () => (emergencyOpen.value = true),
    }) ||
    onPublish.press(e, {
      publish: !guest.value && (() => openBench('publish')),
      reference: () => window.open('/docs', '_blank', 'noopener'),
    }) ||
    onDevice.press(e, {
      follow: followAgain,
      here: () => (desk.here ? standStill() : void standWithDevice().catch(complain)),
      readings: () => (readingsOpen.value = !readingsOpen.value),
      play: rehearsing.row && playOrPause,
      on: rehearsing.row && (() => stepBy(1)),
      back: rehearsing.row && (() => stepBy(-1)),
      slower: rehearsing.row && (() => setSpeed(SPEEDS[SPEEDS.indexOf(rehearsing.speed as 1) - 1] ?? 1)),
      faster: rehearsing.row && (() => setSpeed(SPEEDS[SPEEDS.indexOf(rehearsing.speed as 1) + 1] ?? 60)),
    })
  )
})
</script>

<template>
  <div class="desk" :class="desk.underWay && desk.bench === 'journey' ? 'under-way' : ''">
    <header class="bg-paper border-ink col-span-full flex h-12 items-center gap-3 border-b px-3">
      <span class="hidden font-serif text-xl font-bold sm:inline">Viandante</span>
      <TopLine ref="topLine" v-model="text" v-model:open="lineOpen" @readings="readings = $event" />
      <button
        class="act"
        :disabled="!canUndo && !(editing.open && editing.past.length)"
        title="Undo (u)"
        data-test="undo"
        @click="takeBack"
      >
        Undo <span class="key">u</span>
      </button>
      <button
        class="act max-lg:hidden!"
        :disabled="!canRedo && !(editing.open && editing.future.length)"
        title="Redo (Shift U)"
        @click="doAgain"
      >
        Redo
      </button>
      <button class="act max-lg:hidden!" @click="togglePalette">
        {{ palette === 'day' ? 'Night' : 'Day' }} <span class="key">n</span>
      </button>
      <button class="act max-lg:hidden!" data-test="open-keys" @click="keysOpen = true">
        Keys <span class="key">?</span>
      </button>
      <button
        v-if="!guest"
        class="act max-lg:hidden!"
        title="On a phone (Shift I)"
        data-test="on-phone"
        @click="phoneOpen = true"
      >
        Phone
      </button>
      <button class="act max-lg:hidden!" @click="emit('leave')">Sign out</button>
      <EmergencyButton @open="emergencyOpen = true" />
      <PageMenu :items="menu" />
    </header>

    <main class="map relative min-h-0">
      <MapPane
        v-if="ground && ready"
        :ground="ground.version"
        :credits="ground.regions.flatMap((r) => r.attribution ?? [])"
        :opening="opening"
        :in-ring="inRing"
        :marked="marked"
        @hover="pointer = $event"
      />
      <DeviceBar />
      <RawReadings v-if="readingsOpen" @close="readingsOpen = false" />
      <p
        v-if="desk.only.length"
        class="border-ink bg-paper absolute top-3 left-3 z-20 flex items-baseline gap-3 border-l-4 border-ochre px-3 py-1.5"
        data-test="only"
      >
        {{ desk.only.length === 1 ? 'Only one is shown' : `Only ${desk.only.length} are shown` }}
        <button class="underline" data-test="show-all" @click="desk.only = []">
          Show all <span class="key">z</span>
        </button>
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
      <ReadingList
        v-if="showReadings"
        :readings="readings"
        :nothing="nothing"
        :active="topLine?.active ?? 0"
        class="min-h-0 flex-1 overflow-y-auto"
        @act="topLine?.act($event)"
        @point="topLine && (topLine.active = $event)"
      />
      <PlacingPage v-else-if="placing.open" class="min-h-0 flex-1 overflow-y-auto" />
      <PlaceForm v-else-if="editing.open" :key="editing.place?.id ?? 'new'" class="min-h-0 flex-1 overflow-y-auto" />
      <RoadBook v-else-if="desk.underWay && desk.bench === 'journey' && !desk.layers" />
      <template v-else>
        <PlaceSlip v-if="selected && !finding" :place="selected" />
        <div
          v-show="!selected || !desk.unfolded"
          class="flex min-h-0 flex-1 flex-col overflow-y-auto"
          data-test="bench-page"
        >
          <LayersPage v-if="desk.layers" />
          <PlacesPage v-else-if="desk.bench === 'places'" />
          <PublishPage v-else-if="desk.bench === 'publish'" />
          <ProofPage v-else-if="desk.bench === 'proof'" />
          <AroundPage
            v-else-if="desk.bench === 'around'"
            :features="listed"
            :matched="nearby?.truncated ? (nearby.numberMatched ?? null) : null"
            :error="nearbyError"
            :demo="demo"
            @find="find"
          />
          <WatchesPage v-else-if="desk.bench === 'party' && desk.partyPart === 'watches'" />
          <PartyPage v-else-if="desk.bench === 'party'" @leave="emit('leave')" />
          <RehearsalsPage v-else-if="desk.journeyPart === 'rehearsals'" />
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
    <PhoneDialog v-model="phoneOpen" />
    <EmergencyDialog v-model="emergencyOpen" />
    <OnwardDialog />
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
    padding: 0.3rem 0.4rem 0;
    gap: 0.2rem;
    border-left: 0;
    border-top: 1px solid var(--ink);
  }
  .tab {
    writing-mode: horizontal-tb;
    width: auto;
    padding: 0.25rem min(0.9rem, 1.3vw);
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
/* On a phone a journey under way has the whole screen: the map and the road-book. */
@media (max-width: 719px), (max-height: 519px) {
  .under-way > header,
  .under-way > nav,
  .under-way > footer {
    display: none;
  }
}
@media (orientation: landscape) and (max-height: 519px) {
  .desk.under-way {
    grid-template: minmax(0, 1fr) / minmax(0, 1fr) 20rem;
  }
}
/* On a phone turned sideways all tabs are within reach. */
@media (orientation: landscape) and (max-height: 519px) {
  .tabs {
    padding-top: 0.35rem;
    gap: 0.2rem;
  }
  .tab {
    padding: 0.35rem 0.3rem;
    font-size: 0.9rem;
  }
}
@media (max-width: 960px) and (orientation: landscape) {
  .desk {
    grid-template-columns: minmax(0, 1fr) 20rem 2.1rem;
  }
}
</style>
