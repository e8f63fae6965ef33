<script setup lang="ts">
// What the map shows and how: saved views, categories, names, pictures laid over it, imagery.
import { computed, nextTick, ref } from 'vue'
import { api, unwrap, type Imagery, type ImageryIn, type SavedView } from '../api/client'
import { desk, NAMES, type Names } from '../desk/desk'
import {
  changeView,
  currentView,
  deleteImagery,
  deleteView,
  failing,
  imagery,
  keepView,
  overlays,
  putImagery,
  showView,
  views,
} from '../desk/kept'
import { complain, say } from '../desk/notice'
import { groundStyles, toggleLettering } from '../desk/palette'
import { beginPlacing, layPicture } from '../desk/placing'
import { categories, places } from '../desk/places'
import GlyphMark from './GlyphMark.vue'

const naming = ref<string | null>(null)
const nameField = ref<HTMLInputElement>()
const file = ref<HTMLInputElement>()
const address = ref('')
const reading = ref(false)
const layers = ref<
  | {
      id: string
      title: string
      template: string
      matrices: string[]
      min_zoom: number
      max_zoom: number
      tile_size: number
    }[]
  | null
>(null)

const NAMES_READ: Record<Names, string> = { pointed: 'when pointed at', always: 'always', never: 'never' }

const sorted = computed(() =>
  [...views.value].sort((a, b) => (a.key || 10) - (b.key || 10) || a.name.localeCompare(b.name)),
)
const kinds = computed(() => {
  const counts = new Map<string, number>()
  for (const p of places.values()) counts.set(p.category, (counts.get(p.category) ?? 0) + 1)
  const all = categories.value.map((c) => ({
    id: c.id,
    name: c.name,
    category: c as typeof c | undefined,
    count: counts.get(c.id) ?? 0,
  }))
  return counts.has('')
    ? [...all, { id: '', name: 'Without a category', category: undefined, count: counts.get('')! }]
    : all
})

async function startNaming(): Promise<void> {
  naming.value = `View ${views.value.length + 1}`
  await nextTick()
  nameField.value?.select()
}
function finishNaming(): void {
  const name = naming.value?.trim()
  naming.value = null
  if (name) keepView(name).catch(complain)
}
const update = (v: SavedView) => changeView(v, currentView(v.name, { key: v.key, opening: v.opening })).catch(complain)
const opening = (v: SavedView) => changeView(v, { opening: !v.opening }).catch(complain)

function toggle(list: string[], id: string): string[] {
  return list.includes(id) ? list.filter((o) => o !== id) : [...list, id]
}
const only = (id: string) =>
  (desk.hidden =
    desk.hidden.length === kinds.value.length - 1 && !desk.hidden.includes(id)
      ? []
      : kinds.value.map((k) => k.id).filter((k) => k !== id))

async function takeFile(list: FileList | null): Promise<void> {
  const one = list?.[0]
  if (one) await layPicture(one).catch(complain)
  if (file.value) file.value.value = ''
}

async function readAddress(): Promise<void> {
  const text = address.value.trim()
  if (!text || reading.value) return
  reading.value = true
  layers.value = null
  try {
    if (/\{-?[xyz]\}/.test(text)) {
      await add({ name: new URL(text).host, template: text, min_zoom: 0, max_zoom: 19, tile_size: 256, opacity: 0.8 })
    } else {
      layers.value = (await unwrap(api.GET('/v1/imagery/layers', { params: { query: { url: text } } }))).layers
      if (layers.value.length === 1) await addLayer(layers.value[0]!)
    }
  } catch (e) {
    complain(
      e instanceof TypeError
        ? new Error('This is not an address: http://host/{z}/{x}/{y}.png, or that of a WMTS capabilities document.')
        : e,
    )
  } finally {
    reading.value = false
  }
}
const addLayer = (l: NonNullable<typeof layers.value>[number]) =>
  add({
    name: l.title.slice(0, 100),
    template: l.template,
    matrices: l.matrices,
    min_zoom: l.min_zoom,
    max_zoom: l.max_zoom,
    tile_size: l.tile_size as 256,
    opacity: 0.8,
  })
async function add(body: ImageryIn): Promise<void> {
  const row = await putImagery(body)
  desk.imagery = [...desk.imagery, row.id]
  layers.value = null
  address.value = ''
}
function fade(i: Imagery, opacity: number): void {
  putImagery({ ...i, opacity }, i).catch(complain)
}
function credit(i: Imagery, attribution: string): void {
  putImagery({ ...i, attribution: attribution.trim() }, i).catch(complain)
}
function removeImagery(i: Imagery): void {
  desk.imagery = desk.imagery.filter((id) => id !== i.id)
  deleteImagery(i).catch(complain)
}
function removeView(v: SavedView): void {
  deleteView(v).catch(complain)
}
async function copyLink(): Promise<void> {
  await navigator.clipboard.writeText(location.href).then(() => say('Copied the link to this view'), complain)
}
</script>

<template>
  <section
    class="flex min-h-40 grow basis-0 flex-col overflow-y-auto"
    aria-labelledby="layers-title"
    data-test="layers-page"
  >
    <header class="flex items-baseline px-4 pt-3 pb-1">
      <h1 id="layers-title" class="flex-1 font-serif text-xl font-bold">Views and layers</h1>
      <button class="act" data-test="layers-close" @click="desk.layers = false">
        Close <span class="key">v</span>
      </button>
    </header>

    <h2 class="head">Views</h2>
    <ol v-if="sorted.length" class="ruled" data-test="views">
      <li v-for="w in sorted" :key="w.id" class="flex items-center gap-2 px-4">
        <button
          class="hover:bg-selected -ml-2 flex min-w-0 flex-1 items-baseline gap-2.5 px-2 py-1.5 text-left"
          :data-test="`view-${w.name}`"
          @click="showView(w)"
        >
          <span class="border-ink/50 w-5 shrink-0 border text-center text-sm font-bold">{{ w.key || '·' }}</span>
          <span class="min-w-0 flex-1 truncate">{{ w.name }}</span>
          <span v-if="w.opening" class="text-verdigris text-sm">opens with it</span>
        </button>
        <button
          class="link"
          :title="`Save what the map shows now as “${w.name}”`"
          :data-test="`update-${w.name}`"
          @click="update(w)"
        >
          Update
        </button>
        <button
          class="link"
          :title="w.opening ? 'No longer open with it' : 'Whoever comes sees this first'"
          :data-test="`opening-${w.name}`"
          @click="opening(w)"
        >
          {{ w.opening ? 'Not first' : 'Open first' }}
        </button>
        <button class="link" :aria-label="`Delete ${w.name}`" :data-test="`delete-${w.name}`" @click="removeView(w)">
          ×
        </button>
      </li>
    </ol>
    <p v-else class="caption px-4">Save what the map shows now, and come back to it by one key.</p>
    <div class="flex flex-wrap gap-1.5 px-4 py-2">
      <form v-if="naming !== null" class="flex flex-1 gap-1.5" @submit.prevent="finishNaming">
        <input
          ref="nameField"
          v-model="naming"
          class="field"
          maxlength="100"
          aria-label="The view's name"
          data-test="view-name"
          @keydown.esc.stop="naming = null"
        />
        <button class="act-main" data-test="view-save">Save</button>
      </form>
      <template v-else>
        <button class="act" data-test="view-keep" @click="startNaming">Save this view …</button>
        <button class="act" @click="copyLink">Copy its link</button>
      </template>
    </div>

    <h2 class="head">Ground</h2>
    <div class="flex items-center gap-2 px-4 py-2">
      <select
        v-model="desk.ground"
        class="border-ink/50 bg-paper flex-1 cursor-pointer border-b py-0.5"
        aria-label="How the ground is drawn"
        data-test="layers-ground"
      >
        <option v-for="s in groundStyles" :key="s.name" :value="s.name">{{ s.title }}</option>
      </select>
      <label class="flex cursor-pointer items-center gap-1.5"
        ><input
          type="checkbox"
          class="accent-verdigris size-4"
          :checked="desk.lettering === 'large'"
          @change="toggleLettering"
        />
        large lettering</label
      >
    </div>

    <h2 class="head">
      Places
      <button v-if="desk.hidden.length" class="link ml-auto" data-test="all-categories" @click="desk.hidden = []">
        All
      </button>
    </h2>
    <ul class="ruled">
      <li v-for="k in kinds" :key="k.id" class="flex items-center gap-2 px-4">
        <label class="hover:bg-selected -ml-2 flex min-w-0 flex-1 cursor-pointer items-center gap-2 px-2 py-1">
          <input
            type="checkbox"
            class="accent-verdigris size-4"
            :checked="!desk.hidden.includes(k.id)"
            :data-test="`show-${k.id || 'none'}`"
            @change="desk.hidden = toggle(desk.hidden, k.id)"
          />
          <GlyphMark :category="k.category" />
          <span class="min-w-0 flex-1 truncate">{{ k.name }}</span>
          <span class="text-slate">{{ k.count }}</span>
        </label>
        <button class="link" :data-test="`only-${k.id || 'none'}`" @click="only(k.id)">Only</button>
      </li>
    </ul>
    <label class="flex items-baseline gap-2 px-4 py-2">
      <span class="flex-1">Names beside the places</span>
      <select v-model="desk.names" class="border-ink/50 bg-paper cursor-pointer border-b py-0.5" data-test="names">
        <option v-for="n in NAMES" :key="n" :value="n">{{ NAMES_READ[n] }}</option>
      </select>
    </label>

    <h2 class="head">Pictures over the ground</h2>
    <ul v-if="overlays.length" class="ruled">
      <li v-for="o in overlays" :key="o.id" class="flex items-center gap-2 px-4">
        <label class="hover:bg-selected -ml-2 flex min-w-0 flex-1 cursor-pointer items-center gap-2 px-2 py-1.5">
          <input
            type="checkbox"
            class="accent-verdigris size-4"
            :checked="desk.overlays.includes(o.id)"
            :data-test="`overlay-${o.name}`"
            @change="desk.overlays = toggle(desk.overlays, o.id)"
          />
          <span class="min-w-0 flex-1 truncate">{{ o.name }}</span>
          <span class="text-slate">{{ Math.round(o.opacity * 100) }} %</span>
        </label>
        <button class="link" :data-test="`place-${o.name}`" @click="beginPlacing(o)">Move</button>
      </li>
    </ul>
    <div class="px-4 py-2" @dragover.prevent @drop.prevent="takeFile($event.dataTransfer?.files ?? null)">
      <input
        ref="file"
        type="file"
        class="sr-only"
        tabindex="-1"
        accept="image/png,image/jpeg,image/svg+xml"
        data-test="picture-file"
        @change="takeFile(($event.target as HTMLInputElement).files)"
      />
      <button class="act" data-test="picture-lay" @click="file?.click()">Add a picture …</button>
      <span class="caption ml-2">a site plan as PNG, JPEG or SVG; or drop it here</span>
    </div>

    <h2 class="head">Imagery</h2>
    <ul v-if="imagery.length" class="ruled">
      <li v-for="i in imagery" :key="i.id" class="px-4">
        <div class="flex items-center gap-2">
          <label class="hover:bg-selected -ml-2 flex min-w-0 flex-1 cursor-pointer items-center gap-2 px-2 py-1.5">
            <input
              type="checkbox"
              class="accent-verdigris size-4"
              :checked="desk.imagery.includes(i.id)"
              :data-test="`imagery-${i.name}`"
              @change="desk.imagery = toggle(desk.imagery, i.id)"
            />
            <span class="min-w-0 flex-1 truncate">{{ i.name }}</span>
          </label>
          <input
            class="accent-verdigris w-20"
            type="range"
            min="0.1"
            max="1"
            step="0.05"
            :value="i.opacity"
            :aria-label="`How opaque ${i.name} is`"
            @change="fade(i, Number(($event.target as HTMLInputElement).value))"
          />
          <button
            class="link"
            :aria-label="`Delete ${i.name}`"
            :data-test="`delete-imagery-${i.name}`"
            @click="removeImagery(i)"
          >
            ×
          </button>
        </div>
        <input
          v-if="desk.imagery.includes(i.id)"
          class="field mb-1 py-0! text-sm"
          :value="i.attribution"
          maxlength="280"
          placeholder="Attribution, shown on the map"
          :aria-label="`Attribution of ${i.name}`"
          :data-test="`attribution-${i.name}`"
          @change="credit(i, ($event.target as HTMLInputElement).value)"
        />
        <p
          v-if="desk.imagery.includes(i.id) && failing.get(i.id)"
          class="border-madder mb-1.5 border-l-2 pl-2 text-sm"
          role="status"
          data-test="imagery-failing"
        >
          {{ failing.get(i.id) }}
        </p>
      </li>
    </ul>
    <form class="flex gap-1.5 px-4 pt-2" @submit.prevent="readAddress">
      <input
        v-model="address"
        class="field"
        spellcheck="false"
        placeholder="http://…/{z}/{x}/{y}.png, or WMTS capabilities"
        aria-label="The address of tiles, or of a WMTS capabilities document"
        data-test="imagery-address"
      />
      <button class="act" :disabled="reading" data-test="imagery-add">{{ reading ? 'Reading …' : 'Add' }}</button>
    </form>
    <ul v-if="layers" class="ruled mt-1" data-test="imagery-layers">
      <li v-for="l in layers" :key="l.id" class="px-4 py-1">
        <button class="text-left underline" @click="addLayer(l).catch(complain)">{{ l.title }}</button>
        <span class="caption">zoom {{ l.min_zoom }} to {{ l.max_zoom }}</span>
      </li>
    </ul>
    <p class="caption px-4 pt-1 pb-4">The server fetches the tiles, so that a key in the address stays with it.</p>
  </section>
</template>
