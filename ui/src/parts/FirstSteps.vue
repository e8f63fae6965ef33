<script setup lang="ts">
// What somebody who is new here can do, each by a click or by its key: shown until there is a standpoint.
import { computed, onScopeDispose, watchEffect } from 'vue'
import { firstActs, goTo, keepMiddle, standAt, standHere } from '../desk/acts'
import { desk } from '../desk/desk'
import { distanceM } from '../chart/geodesic'
import { metres } from '../desk/format'
import { categoryById, places } from '../desk/places'
import { useAddress } from '../desk/questions'
import { rehearsals } from '../desk/kept'
import { complain } from '../desk/notice'
import { rehearsing } from '../desk/rehearsing'
import { rehearseJourney } from '../desk/underway'

const props = defineProps<{ demo: { lat: number; lng: number } | null }>()
const emit = defineEmits<{ find: [text: string] }>()

const square = computed(() => props.demo && { ...props.demo, name: "the town's square" })
const { data: address } = useAddress(square)
/** Somewhere to go to from the square: a place some way off. */
const goal = computed(() => {
  const from = square.value
  const far = (p: { lat: number; lng: number }) => Math.abs(distanceM(from!, p) - 1800)
  const all = from
    ? [...places.values()].flatMap((p) =>
        p.at && p.kind === 'place' ? [{ ...p.at, name: p.name, category: p.category }] : [],
      )
    : []
  return all.sort((a, b) => far(a) - far(b))[0] ?? null
})

const kindOfGoal = computed(() => categoryById.value.get(goal.value?.category ?? '')?.name.toLowerCase() ?? 'a place')

/** A walk that has been kept, for whoever wants to see a journey at once. */
const walk = computed(
  () => rehearsals.value.find((r) => r.by === 'foot' && !r.wrong_turns && r.compass === 'good') ?? rehearsals.value[0],
)

interface Line {
  key: string
  what: string
  more: string
  test: string
  act: () => void
}
const lines = computed<Line[]>(() => [
  {
    key: 's',
    test: 'demo-standpoint',
    act: () => (square.value ? standAt(square.value) : standHere()),
    what: square.value ? `Stand in ${square.value.name}` : 'Stand where I am',
    more: 'and see what lies around, how far and which way',
  },
  {
    key: '/',
    test: 'first-find',
    act: () => emit('find', address.value?.properties.label ?? ''),
    what: 'Find an address',
    more: 'coordinates in any notation, or a place',
  },
  {
    key: 'K',
    test: 'first-keep',
    act: keepMiddle,
    what: 'Save a place',
    more: 'in the middle of the map; u takes it back',
  },
  ...(goal.value
    ? [
        {
          key: 'j',
          test: 'first-way',
          what: `Go to ${goal.value.name}`,
          more: `${metres(distanceM(square.value!, goal.value))} from the square: ${kindOfGoal.value}`,
          act: () => {
            desk.standpoint = square.value
            goTo(goal.value!)
          },
        },
      ]
    : [
        {
          key: 'v',
          test: 'first-layers',
          act: () => void (desk.layers = true),
          what: 'Choose what the map shows',
          more: 'saved views, categories, pictures, imagery',
        },
      ]),
  ...(walk.value && !rehearsing.row
    ? [
        {
          key: 'p',
          test: 'first-rehearsal',
          what: 'Rehearse a journey',
          more: `${walk.value.name}: a simulated device walks it, ten times as fast`,
          act: () => void rehearseJourney(walk.value!.id, 10).catch(complain),
        },
      ]
    : []),
  {
    key: 'L',
    test: 'first-list',
    act: () => void (desk.bench = 'places'),
    what: 'See everything',
    more: `${places.size.toLocaleString('en')} saved: list, search, sort; ? has all keys`,
  },
])

watchEffect(
  () => (firstActs.value = Object.fromEntries(lines.value.flatMap((l) => (l.key === '/' ? [] : [[l.key, l.act]])))),
)
onScopeDispose(() => (firstActs.value = {}))
</script>

<template>
  <div class="min-h-24 grow basis-0 overflow-y-auto px-4 pt-1 pb-4" data-test="no-standpoint">
    <p class="font-serif text-lg">No standpoint yet. Begin with one of these:</p>
    <ol class="ruled border-rule mt-1.5 border-y" data-test="first-steps">
      <li v-for="l in lines" :key="l.test">
        <button
          class="hover:bg-selected flex w-full items-baseline gap-3 py-1.5 text-left"
          :data-test="l.test"
          @click="l.act"
        >
          <kbd class="border-ink/60 bg-card w-6 shrink-0 border text-center font-sans font-medium">{{ l.key }}</kbd>
          <span class="min-w-0 flex-1"
            ><span class="font-medium">{{ l.what }}</span>
            <span class="caption block leading-tight">{{ l.more }}</span></span
          >
        </button>
      </li>
    </ol>
    <p class="caption mt-2">
      Or click any spot on the map: its label offers to save it, stand there, go there, or copy its coordinates.
      <button v-if="demo" class="link" @click="standHere">Stand where I am</button>
    </p>
  </div>
</template>
