<script lang="ts">
import { declareKeys } from '../desk/keys'

const keys = declareKeys('On the map', [
  {
    as: 'arrows',
    what: 'move, farther with Shift',
    on: { ArrowLeft: 'west', ArrowRight: 'east', ArrowUp: 'north', ArrowDown: 'south' },
  },
  { as: '+ −', what: 'zoom', on: { '+': 'closer', '=': 'closer', '-': 'wider' } },
  { as: '[ ] · 0', what: 'turn by 15° · north up', on: { '[': 'left', ']': 'right', 0: 'up' } },
  { as: 'Home', what: 'look at the standpoint', on: { Home: 'home' } },
  { as: 'Shift and drag', what: 'zoom to a box', on: {} },
  { as: 'Alt and drag', what: 'turn; two fingers, too', on: {} },
  { as: 'Enter', what: 'select the spot in the middle', on: { Enter: 'select' } },
])
</script>

<script setup lang="ts">
// The map with what the benches lay over it, and the label of the selected spot.
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch, watchEffect } from 'vue'
import { Chart } from '../chart/chart'
import type { LatLng } from '../chart/camera'
import { chart as shared, lookAt, ringCorners, select } from '../desk/acts'
import { inRing as nearby } from '../desk/around'
import { desk } from '../desk/desk'
import { clickedAt, editing } from '../desk/editing'
import { bearing, metres, shortPosition } from '../desk/format'
import { palette } from '../desk/palette'
import { distanceM, roughBearing } from '../chart/geodesic'
import { imagery } from '../desk/kept'
import { complain } from '../desk/notice'
import { moveControl, placing } from '../desk/placing'
import { categoryById, crowded, fetchPlace, places } from '../desk/places'
import { testMarks } from '../desk/proof'
import { useWay } from '../desk/questions'
import { device, glides, heading, shownAt, tracking } from '../desk/device'
import { route as journeyRoute, travelled } from '../desk/underway'
import { fixesOf, wayOf } from '../guide/api'
import { Guide } from '../guide/guide'
import { Edges } from '../layers/edges'
import { Here } from '../layers/here'
import { Rose } from '../layers/rose'
import { TestPoints } from '../layers/testpoints'
import { SpotMark } from '../layers/spotmark'
import { APART, isCairn } from '../layers/stones'
import { Way } from '../layers/way'
import { useLaid } from './maplaid'
import { useOutlines } from './mapoutlines'
import { people as everybody } from '../desk/party'
import { usePeople } from './mappeople'
import { useStones } from './mapstones'
import CandidateMarks from './CandidateMarks.vue'
import SpotLabel from './SpotLabel.vue'

const props = defineProps<{
  ground: string
  credits: string[]
  opening: [number, number, number, number] | null
  inRing: Set<string>
  marked: [number, number] | null
}>()
const emit = defineEmits<{ hover: [LatLng | null] }>()

const container = ref<HTMLElement>()
const label = ref<{ x: number; y: number } | null>(null)
const chart = shallowRef<Chart>()
const { stones, buildings, marks } = useStones(chart, () => props.inRing)
const laid = useLaid(chart)
const { outlines, inHand } = useOutlines(chart)
const { people, zones } = usePeople(chart)
const rose = new Rose(
  (edge, m) => {
    const rounded = niceMetres(m)
    if (edge === 'within') desk.withinM = Math.max(rounded, desk.beyondM + 10)
    else desk.beyondM = Math.min(rounded, desk.withinM - 10)
  },
  () => {},
  metres,
)
const way = new Way()
const here = new Here(metres)
here.at = shownAt
here.moves = glides
const mark = new SpotMark()
const testPoints = new TestPoints()
const edges = new Edges()
const { data: route } = useWay()

/** Two figures are enough for a ring pulled by hand. */
function niceMetres(m: number): number {
  const step = m < 100 ? 5 : m < 1000 ? 10 : m < 10_000 ? 50 : m < 100_000 ? 500 : 5000
  return Math.max(0, Math.round(m / step) * step)
}

/** Whether it is said by the link where the map opens. */
let opened = !!desk.view

onMounted(() => {
  const start = desk.view ?? { lat: 0, lng: 0, zoom: 2, rotation: 0 }
  const c = new Chart(container.value!, { ...start })
  chart.value = shared.value = c
  if (!desk.view && props.opening) {
    const [west, south, east, north] = props.opening
    const v =
      desk.standpoint && desk.bench === 'around'
        ? c.fitView(ringCorners(desk.standpoint, desk.withinM))
        : c.fitView([
            { lat: south, lng: west },
            { lat: north, lng: east },
          ])
    if (v) c.setView(v)
  }
  c.setGround(props.ground)
  for (const l of [
    ...laid,
    outlines,
    zones,
    way,
    rose,
    testPoints,
    buildings,
    stones,
    people,
    edges,
    inHand,
    mark,
    here,
  ])
    c.addLayer(l)
  const clicked = (position: LatLng) => {
    if (placing.open) moveControl(placing.active, position)
    else if (editing.open) clickedAt(position)
    else {
      desk.spot = position
      desk.place = null
    }
    stones.pointed = null
  }
  c.on('click', ({ position }) => clicked(position))
  c.on('hit', (h) => {
    if (h.layer === here) return void (device.fix && lookAt(device.fix.at))
    if (h.layer === edges) return select(h.id, true)
    if (h.layer === inHand) return inHand.shapes.find((s) => s.id === h.id)?.clicked?.()
    if (placing.open || (editing.open && editing.draft.outline)) return clicked(h.position)
    if (h.layer === people) {
      desk.who = h.id
      desk.partyPart = 'people'
      return
    }
    if (
      (h.layer !== stones && h.layer !== buildings && h.layer !== outlines) ||
      (editing.open && editing.place?.id === h.id)
    )
      return
    if (isCairn(h.id)) return openCairn(h.id)
    // Where there is no pointer to rest on it, a first tap gives the label, a second the page.
    if (h.touch && h.layer === stones && stones.pointed !== h.id && desk.place !== h.id) {
      stones.pointed = h.id
      return c.invalidate()
    }
    const mark = crowded.value && marks.value.find((m) => m.id === h.id)
    if (mark) void fetchPlace(mark.collection, mark.id).then((p) => select(p.id), complain)
    else select(h.id)
  })
  c.on('point', (h) => {
    stones.pointed = h?.layer === stones && !isCairn(h.id) ? h.id : null
    c.invalidate()
  })
  c.on('hover', (p) => emit('hover', p))
  c.on('move', (v) => {
    desk.view = { ...v }
    placeLabel()
  })
  // For tests and for whoever works in the browser's console.
  Object.assign(window, { viandanteChart: c, viandanteGuide: { Guide, wayOf, fixesOf, device } })
  Object.defineProperty(window, 'viandanteParty', { get: () => [...everybody.values()], configurable: true })
})
onBeforeUnmount(() => {
  chart.value?.dispose()
  shared.value = null
})

/** Looks into a cairn; one whose places share a spot is as near as can be. */
function openCairn(id: string): void {
  const c = chart.value!
  const before = c.view
  const v = c.fitView(stones.inCairn(id, c.camera), APART)
  if (v) c.flyTo({ ...v, zoom: Math.max(v.zoom, Math.min(before.zoom + 1, APART + 2)) })
}

function placeLabel(): void {
  label.value = desk.spot && chart.value ? chart.value.camera.toScreen(desk.spot) : null
}

watch(
  () => props.ground,
  (v) => chart.value?.setGround(v),
)
watchEffect(() => chart.value?.setLook(desk.ground, palette.value, desk.lettering))
watchEffect(() => {
  if (!chart.value) return
  rose.standpoint = desk.standpoint
  rose.accuracyM = desk.standpoint?.accuracyM
  rose.name = desk.standpoint?.name ?? ''
  rose.beyondM = desk.beyondM
  rose.withinM = desk.withinM
  rose.ring = desk.bench === 'around'
  rose.live = desk.here && !!device.fix
  chart.value.changed(rose)
})
watchEffect(() => {
  if (!chart.value) return
  here.accuracyM = device.fix?.accuracyM ?? 0
  here.headingDeg = heading.value ?? (device.distrust ? device.needleDeg : null)
  here.doubtful = heading.value === null
  here.coarse = tracking.value === 'coarse'
  here.stale = tracking.value === 'stale' || tracking.value === 'refused'
  here.simulated = device.simulated
  chart.value.invalidate()
})
watchEffect(() => {
  if (!chart.value) return
  edges.all =
    desk.bench === 'around' && !editing.open && !placing.open
      ? nearby.value.flatMap((f) => {
          const [lng, lat] = (f.geometry?.coordinates ?? []) as number[]
          return lat === undefined
            ? []
            : [
                {
                  id: f.id!,
                  at: { lat, lng: lng! },
                  colour: categoryById.value.get(f.properties.category ?? '')?.colour ?? '#5B6770',
                  text: metres(f.properties.distance_m ?? 0),
                },
              ]
        })
      : []
  chart.value.invalidate()
})
watchEffect(() => {
  if (!chart.value) return
  testPoints.set(testMarks.value)
  chart.value.changed(testPoints)
})
watchEffect(() => {
  if (!chart.value) return
  way.done = travelled()
  chart.value.invalidate()
})
watchEffect(() => {
  if (!chart.value) return
  mark.at = editing.open || placing.open ? null : desk.spot
  const asked = desk.bench === 'journey' && desk.standpoint && desk.destination ? route.value : null
  const shown = desk.underWay && journeyRoute.value ? journeyRoute.value : asked
  way.line = shown ? shown.geometry.coordinates.map(([lng, lat]) => ({ lat: lat as number, lng: lng as number })) : []
  way.from = desk.underWay ? null : desk.standpoint
  way.to = shown ? desk.destination : null
  way.marked = props.marked
  placeLabel()
  chart.value.changed(way, mark)
})
// A new way is brought into view whole; the first one unless the link says what is in view.
watch([() => (desk.bench === 'journey' && !desk.underWay ? route.value : null), chart], ([r, c]) => {
  if (!r || !c) return
  if (!opened) c.fit(r.geometry.coordinates.map(([lng, lat]) => ({ lat: lat as number, lng: lng as number })))
  opened = false
})

function onKey(e: KeyboardEvent): void {
  const c = chart.value
  if (!c) return
  const far = e.shiftKey ? 320 : 90
  const turnBy = (degrees: number) => c.turnTo(Math.round(c.view.rotation / 15) * 15 + degrees)
  keys.press(e, {
    west: () => c.pan(far, 0),
    east: () => c.pan(-far, 0),
    north: () => c.pan(0, far),
    south: () => c.pan(0, -far),
    closer: () => c.settle(1),
    wider: () => c.settle(-1),
    left: () => turnBy(-15),
    right: () => turnBy(15),
    up: () => c.turnTo(0),
    home: () => desk.standpoint && lookAt(desk.standpoint),
    select: () => {
      desk.spot = { lat: c.view.lat, lng: c.view.lng }
      desk.place = null
    },
  })
}

/** Who made what the map shows. */
const attribution = computed(() =>
  [
    ...new Set([
      ...props.credits,
      ...imagery.value.filter((i) => desk.imagery.includes(i.id)).map((i) => i.attribution ?? ''),
    ]),
  ].filter((a) => a),
)

/** The places in view, the nearest to the middle first. */
const inView = computed(() => {
  const v = desk.view
  const camera = chart.value?.camera
  if (!v || !camera) return []
  return (crowded.value ? marks.value : [...places.values()])
    .flatMap((p) => {
      const s = p.at && camera.toScreen(p.at)
      return s && s.x >= 0 && s.y >= 0 && s.x <= camera.width && s.y <= camera.height
        ? [
            {
              name: p.name || 'several',
              count: 'count' in p ? p.count : 1,
              far: Math.hypot(s.x - camera.width / 2, s.y - camera.height / 2),
            },
          ]
        : []
    })
    .sort((a, b) => a.far - b.far)
})

const described = computed(() => {
  const v = desk.view
  if (!v) return ''
  const selected = desk.place && places.get(desk.place)
  const up = v.rotation ? `, ${bearing(v.rotation)} is up` : ''
  const from = desk.standpoint
  return [
    `Map, middle at ${shortPosition(v)}, zoom ${v.zoom.toFixed(2)}${up}.`,
    inView.value.length
      ? `${inView.value.reduce((n, p) => n + p.count, 0)} places in view: ${inView.value
          .slice(0, 3)
          .map((p) => p.name)
          .join(', ')}${inView.value.length > 3 ? ' …' : ''}.`
      : 'No place in view.',
    from ? `From the standpoint ${metres(distanceM(from, v))} towards ${bearing(roughBearing(from, v))}.` : '',
    selected ? `Selected: ${selected.name}.` : desk.spot ? `Spot selected at ${shortPosition(desk.spot)}.` : '',
  ].join(' ')
})
</script>

<template>
  <div
    ref="container"
    class="bg-sea relative h-full w-full touch-none overflow-hidden outline-offset-[-3px] select-none"
    tabindex="0"
    role="application"
    :aria-label="described"
    data-test="map"
    @keydown="onKey"
  >
    <p
      v-if="attribution.length"
      class="bg-paper/85 text-ink pointer-events-none absolute right-0 bottom-0 z-10 max-w-[70%] px-1.5 text-right text-xs"
      data-test="attribution"
    >
      {{ attribution.join(' · ') }}
    </p>
    <CandidateMarks />
    <SpotLabel
      v-if="desk.spot && label && !editing.open && !placing.open"
      :spot="desk.spot"
      :x="label.x"
      :y="label.y"
    />
  </div>
</template>
