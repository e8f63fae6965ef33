<script setup lang="ts">
// Files: what is dropped, pasted or chosen is taken into a collection, and collections are written to files.
import { computed, onMounted, ref, watch } from 'vue'
import {
  FORMATS,
  ROLES,
  idOfTitle,
  imports,
  incoming,
  loadImports,
  openFile,
  openText,
  preview,
  setRole,
  stopTaking,
  takeIn,
  target,
  undoImport,
  type Column,
  type FileFormat,
  type Import,
  type Role,
} from '../desk/files'
import { addresses } from '../desk/addresses'
import { desk } from '../desk/desk'
import RowProblem from './RowProblem.vue'
import { complain } from '../desk/notice'
import { collections } from '../desk/places'

onMounted(() => void loadImports().catch(complain))
const over = ref(false)
const exporting = ref('')
const format = ref<FileFormat>('csv')
const chosen = computed(() => exporting.value || collections.value[0]?.id || '')
const link = computed(() => `/v1/collections/${encodeURIComponent(chosen.value)}/export?format=${format.value}`)
const size = (n: number) => (n < 1e6 ? `${Math.max(1, Math.round(n / 1e3))} kB` : `${(n / 1e6).toFixed(1)} MB`)
const number = (n: number) => n.toLocaleString('en')
const heldIn = computed(() => collections.value.find((c) => c.id === target.value))
watch(
  () => [incoming.noTitles, incoming.encoding, incoming.collection],
  () => incoming.file && void preview(),
)

function choose(e: Event): void {
  const input = e.target as HTMLInputElement
  const file = input.files?.[0]
  if (file) void openFile(file).catch(complain)
  input.value = ''
}
async function paste(): Promise<void> {
  try {
    await openText(await navigator.clipboard.readText())
  } catch {
    incoming.failed = 'The browser does not let the page read what was copied: press Ctrl V here.'
  }
}
function drop(e: DragEvent): void {
  over.value = false
  const file = e.dataTransfer?.files[0]
  if (file) void openFile(file).catch(complain)
}
/** A file with addresses may have rows without a position: those can be looked up. */
const hasAddresses = computed(() => incoming.preview?.columns.some((c) => c.as === 'address') ?? false)
function lookUpImported(): void {
  addresses.collection = incoming.done!.collection
  desk.part = 'addresses'
}
const role = (c: Column, e: Event) => setRole(c, (e.target as HTMLSelectElement).value as Role)
const when = (t: string) => new Date(t).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'short' })
const STATES: Record<Import['state'], string> = {
  running: 'under way',
  done: '',
  stopped: 'stopped',
  failed: 'broke off',
  undone: 'undone',
}
const words = (i: Import) =>
  [
    i.created && `${number(i.created)} new`,
    i.updated && `${number(i.updated)} changed`,
    i.unchanged && `${number(i.unchanged)} as they were`,
    i.refused && `${number(i.refused)} refused`,
    STATES[i.state],
  ]
    .filter(Boolean)
    .join(', ')
const rowText = (r: NonNullable<typeof incoming.preview>['rows'][number]) => {
  const props = r.feature?.properties ?? {}
  const at = r.feature?.geometry?.coordinates
  return {
    name: String(props.name ?? ''),
    at:
      r.feature?.geometry?.type === 'Point' && at
        ? `${at[1]!.toFixed(5)}, ${at[0]!.toFixed(5)}`
        : (r.feature?.geometry?.type ?? 'no position yet'),
  }
}
</script>

<template>
  <section class="flex min-h-fit flex-1 flex-col overflow-y-auto" aria-label="Files" data-test="files-page">
    <div
      class="m-4 mb-2 border border-dashed px-4 py-3"
      :class="over ? 'border-verdigris bg-selected' : 'border-ink/50'"
      data-test="drop"
      @dragover.prevent="over = true"
      @dragleave="over = false"
      @drop.prevent.stop="drop"
    >
      <p>
        Drop a file here, or paste rows from a spreadsheet.
        <span class="caption block">CSV, TSV, GeoJSON, GPX, KML; packed with gzip, too.</span>
      </p>
      <p class="mt-2 flex gap-2">
        <label class="act cursor-pointer focus-within:outline-2">
          Choose a file …
          <input type="file" class="sr-only" data-test="choose-file" @change="choose" />
        </label>
        <button class="act" data-test="paste" @click="paste">Paste</button>
      </p>
    </div>
    <p v-if="incoming.failed" class="border-madder mx-4 my-1 border-l-2 pl-3" role="alert" data-test="file-failed">
      {{ incoming.failed }}
    </p>

    <template v-if="incoming.file && incoming.preview && !incoming.done">
      <h2 class="head">
        <span class="min-w-0 flex-1 truncate">{{ incoming.file.name }}</span>
        <span class="caption font-sans not-italic"
          >{{ FORMATS[incoming.preview.format].title }}, {{ size(incoming.file.size) }}</span
        >
      </h2>
      <div class="grid grid-cols-[auto_1fr] items-baseline gap-x-3 gap-y-1 px-4 py-2">
        <label class="caption" for="into">into</label>
        <select id="into" v-model="incoming.collection" class="pick max-w-full!" data-test="into">
          <option value="">a new collection</option>
          <option v-for="c in collections" :key="c.id" :value="c.id">{{ c.title }}</option>
        </select>
        <template v-if="!incoming.collection">
          <label class="caption" for="into-title">called</label>
          <span class="flex items-baseline gap-2">
            <input id="into-title" v-model="incoming.title" class="field flex-1" data-test="into-title" />
            <span class="caption">{{ heldIn ? `is there: ${heldIn.title}` : idOfTitle(incoming.title) }}</span>
          </span>
        </template>
        <label class="caption" for="key">known by</label>
        <select id="key" v-model="incoming.preview.key" class="pick max-w-full!" data-test="file-key">
          <option value="">all that stands in a row</option>
          <option v-for="c in incoming.preview.columns" :key="c.column" :value="c.column">{{ c.column }}</option>
        </select>
      </div>
      <table class="border-rule w-full border-t text-left text-[15px]" data-test="columns">
        <thead class="caption">
          <tr>
            <th class="py-1 pl-4 font-normal">column</th>
            <th class="font-normal">is</th>
            <th class="pr-4 font-normal">e.g.</th>
          </tr>
        </thead>
        <tbody class="ruled">
          <tr v-for="c in incoming.preview.columns" :key="c.column" class="border-rule border-b align-baseline">
            <td class="max-w-28 truncate py-0.5 pl-4 font-medium" :title="c.column">{{ c.column }}</td>
            <td>
              <select
                class="pick"
                :value="c.as"
                :aria-label="`What the column ${c.column} is`"
                :data-test="`role-${c.column}`"
                @change="role(c, $event)"
              >
                <option v-for="(title, id) in ROLES" :key="id" :value="id">{{ title }}</option>
              </select>
              <input
                v-if="c.as === 'attribute'"
                v-model.lazy="c.name"
                class="field w-24! py-0! text-sm!"
                :aria-label="`The attribute's name for ${c.column}`"
                @change="preview(true)"
              />
            </td>
            <td class="text-slate max-w-24 truncate pr-4" :title="c.samples.join(' · ')">{{ c.samples[0] }}</td>
          </tr>
        </tbody>
      </table>
      <ol class="ruled border-rule border-t" data-test="file-rows">
        <li v-for="r in incoming.preview.rows.slice(0, 5)" :key="r.line" class="flex items-baseline gap-2 px-4 py-0.5">
          <span class="caption w-9 text-right">{{ r.line || '' }}</span>
          <RowProblem v-if="r.problem" class="text-madder min-w-0 flex-1" :problem="r.problem" />
          <template v-else>
            <span class="min-w-0 flex-1 truncate">{{ rowText(r).name || 'without a name' }}</span>
            <span class="caption whitespace-nowrap">{{ rowText(r).at }}</span>
          </template>
        </li>
      </ol>
      <p class="caption px-4 py-1">
        <template v-if="incoming.preview.wrong">
          {{ incoming.preview.wrong }} of the first {{ incoming.preview.sampled }} rows cannot be taken; they are passed
          over and listed.
        </template>
        <template v-else>The first {{ incoming.preview.sampled }} rows can be taken.</template>
        <label v-if="incoming.preview.format === 'csv' || incoming.preview.format === 'tsv'" class="ml-2">
          <input v-model="incoming.noTitles" type="checkbox" class="accent-ochre" /> no titles
        </label>
        <label class="ml-2">
          text is
          <select v-model="incoming.encoding" class="pick text-sm" data-test="encoding">
            <option value="">{{ incoming.preview.encoding || 'as it says' }}</option>
            <option value="utf-8">utf-8</option>
            <option value="windows-1252">windows-1252</option>
            <option value="iso-8859-2">iso-8859-2</option>
            <option value="windows-1251">windows-1251</option>
            <option value="shift_jis">shift_jis</option>
            <option value="utf-16le">utf-16le</option>
          </select>
        </label>
      </p>
      <p v-if="incoming.running" class="flex items-center gap-2 px-4 py-2" role="status" data-test="taking">
        <progress class="flex-1" />
        {{ number((incoming.running.taken ?? 0) + (incoming.running.refused ?? 0)) }} rows
        <button class="act" data-test="stop-taking" @click="stopTaking">Stop</button>
      </p>
      <p v-else class="flex gap-2 px-4 py-2">
        <button class="act-main" data-test="take-in" @click="takeIn().catch(complain)">Take in</button>
        <button class="act" @click="incoming.file = null">Cancel</button>
      </p>
    </template>

    <div v-if="incoming.done" class="border-verdigris mx-4 my-2 border-l-4 pl-3" data-test="taken">
      <p class="font-medium">{{ incoming.done.file }}: {{ words(incoming.done) }}</p>
      <p class="mt-1 flex flex-wrap gap-2">
        <a
          v-if="incoming.done.refused"
          class="act"
          :href="`/v1/imports/${incoming.done.id}/refused.csv`"
          download
          data-test="refused-file"
          >Save what was refused</a
        >
        <button
          v-if="hasAddresses && incoming.done.state !== 'undone'"
          class="act"
          data-test="look-up-imported"
          @click="lookUpImported"
        >
          Look up its addresses
        </button>
        <button
          v-if="incoming.done.state !== 'undone'"
          class="act"
          data-test="undo-import"
          @click="undoImport(incoming.done).catch(complain)"
        >
          Undo all of it
        </button>
      </p>
      <ol v-if="incoming.done.problems.length" class="ruled mt-2 text-[15px]" data-test="problems">
        <li v-for="(p, i) in incoming.done.problems.slice(0, 50)" :key="i" class="py-0.5">
          <span class="caption mr-2">line {{ p.line }}</span
          ><RowProblem class="text-madder" :problem="p" />
        </li>
      </ol>
    </div>

    <h2 class="head">Write to a file</h2>
    <p class="flex flex-wrap items-baseline gap-2 px-4 py-2">
      <select v-model="exporting" class="pick" aria-label="Which collection" data-test="export-collection">
        <option v-for="c in collections" :key="c.id" :value="c.id === collections[0]?.id ? '' : c.id">
          {{ c.title }}
        </option>
      </select>
      as
      <select v-model="format" class="pick" aria-label="In which format" data-test="export-format">
        <option v-for="(f, id) in FORMATS" :key="id" :value="id">{{ f.title }}</option>
      </select>
      <a class="act" :href="link" :download="`${chosen}.${FORMATS[format].suffix}`" data-test="export">Save file</a>
    </p>
    <template v-if="imports.length">
      <h2 class="head">Taken in before</h2>
      <ol class="ruled" data-test="imports">
        <li v-for="i in imports.slice(0, 20)" :key="i.id" class="flex items-baseline gap-2 px-4 py-1">
          <span class="min-w-0 flex-1">
            <span class="block truncate"
              >{{ i.file }} <span class="caption">into {{ i.collection }}</span></span
            >
            <span class="caption block">{{ when(i.started_at) }}: {{ words(i) }}</span>
          </span>
          <a v-if="i.refused" class="link" :href="`/v1/imports/${i.id}/refused.csv`" download>refused</a>
          <button
            v-if="i.state !== 'undone' && i.created + i.updated"
            class="link"
            @click="undoImport(i).catch(complain)"
          >
            Undo
          </button>
        </li>
      </ol>
    </template>
  </section>
</template>
