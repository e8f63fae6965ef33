<script setup lang="ts">
// Somebody else was faster: both versions beside each other, to choose from.
import { computed } from 'vue'
import { editing, keepMine, takeTheirs } from '../desk/editing'
import { shortPosition } from '../desk/format'
import { BUILT_IN, attributesOf, categoryById } from '../desk/places'

const shown = (v: unknown) => (v === undefined || v === null || v === '' ? '—' : String(v))
const rows = computed(() => {
  const [mine, theirs] = [editing.draft, editing.theirs]
  if (!theirs) return []
  const of = theirs.feature.properties as Record<string, unknown>
  const all = [
    ['Name', mine.name, theirs.name],
    ['Category', categoryById.value.get(mine.category)?.name, categoryById.value.get(theirs.category)?.name],
    mine.outline || theirs.outline
      ? [
          'Shape',
          mine.outline && 'as on the map',
          JSON.stringify(mine.outline) === JSON.stringify(theirs.outline) ? 'the same' : 'another',
        ]
      : ['Position', mine.at && shortPosition(mine.at), theirs.at && shortPosition(theirs.at)],
    ['Description', mine.description, of.description],
    ...[...BUILT_IN, ...attributesOf(theirs.collection).slice(BUILT_IN.length)].map((a) => [
      a.title || a.name,
      mine.attributes[a.name],
      of[a.name],
    ]),
  ].map(([title, a, b]) => [String(title), shown(a), shown(b)])
  return all.filter(([title, a, b]) => a !== b || title === 'Name')
})
</script>

<template>
  <div class="border-madder mt-2 border-l-2 pl-3" role="alert" data-test="conflict">
    <p class="font-medium">Somebody else was faster.</p>
    <table v-if="editing.theirs" class="mt-1 w-full text-left">
      <thead class="caption">
        <tr>
          <th></th>
          <th class="font-normal">yours</th>
          <th class="font-normal">theirs</th>
        </tr>
      </thead>
      <tbody class="align-top wrap-anywhere">
        <tr v-for="[title, mine, theirs] in rows" :key="title">
          <th class="caption pr-2 font-normal">{{ title }}</th>
          <td class="pr-2">{{ mine }}</td>
          <td>{{ theirs }}</td>
        </tr>
      </tbody>
    </table>
    <p v-else>They deleted it.</p>
    <div class="mt-2 flex gap-1.5">
      <button type="button" class="act" data-test="keep-mine" @click="keepMine">Keep mine</button>
      <button type="button" class="act" data-test="take-theirs" @click="takeTheirs">Take theirs</button>
    </div>
  </div>
</template>
