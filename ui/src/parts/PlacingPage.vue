<script setup lang="ts">
// A picture is laid over the ground: two or three of its points, here on the picture and there on the map.
import { computed, onMounted, ref } from 'vue'
import { sexagesimal, shortPosition } from '../desk/format'
import { addThird, dropThird, placed, placing, removePlaced, savePlacing } from '../desk/placing'

const heading = ref<HTMLElement>()
onMounted(() => heading.value?.focus())
const wrong = computed(() => (typeof placed.value === 'string' ? placed.value : ''))

/** Picks a point of the picture by its pixel, with the pointer or with the arrow keys. */
function pick(e: PointerEvent, i: number): void {
  if (!(e.buttons & 1)) return
  placing.active = i
  const box = (e.currentTarget as Element).closest('svg')!.getBoundingClientRect()
  const at = (v: number, size: number) => Math.max(0, Math.min(size, Math.round(v * size)))
  placing.control[i]!.pixel = [
    at((e.clientX - box.left) / box.width, placing.width),
    at((e.clientY - box.top) / box.height, placing.height),
  ]
}
function nudge(e: KeyboardEvent, i: number): void {
  const step = e.shiftKey ? 10 : 1
  const by = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] }[e.key]
  if (!by) return
  e.preventDefault()
  const [x, y] = placing.control[i]!.pixel
  placing.active = i
  placing.control[i]!.pixel = [
    Math.max(0, Math.min(placing.width, x + by[0]!)),
    Math.max(0, Math.min(placing.height, y + by[1]!)),
  ]
}
</script>

<template>
  <form
    class="flex flex-col gap-2 px-4 py-3"
    data-test="placing"
    @submit.prevent="savePlacing"
    @keydown.esc.stop="placing.open = false"
  >
    <h1 ref="heading" class="font-serif text-xl font-bold outline-none" tabindex="-1">
      {{ placing.before ? 'Place the picture' : 'Lay a picture over the ground' }}
    </h1>
    <label class="flex items-baseline gap-2"
      ><span class="caption w-14">Name</span
      ><input v-model="placing.name" class="field" maxlength="100" data-test="placing-name"
    /></label>
    <div
      class="relative mx-auto"
      :style="{
        width: `min(100%, ${(288 * placing.width) / placing.height}px)`,
        aspectRatio: `${placing.width} / ${placing.height}`,
      }"
    >
      <img
        :src="`/v1/pictures/${placing.picture}`"
        class="border-ink/50 h-full w-full border bg-white"
        alt=""
        draggable="false"
      />
      <svg
        class="absolute inset-0 h-full w-full touch-none"
        :viewBox="`0 0 ${placing.width} ${placing.height}`"
        preserveAspectRatio="none"
        aria-label="The control points on the picture"
      >
        <rect width="100%" height="100%" fill="transparent" @pointerdown="pick($event, placing.active)" />
      </svg>
      <button
        v-for="(c, i) in placing.control"
        :key="i"
        type="button"
        class="border-ink bg-paper absolute -mt-3 -ml-3 size-6 touch-none rounded-full border-2 text-center text-sm leading-none font-bold"
        :class="placing.active === i ? 'border-madder text-madder' : ''"
        :style="{ left: `${(100 * c.pixel[0]) / placing.width}%`, top: `${(100 * c.pixel[1]) / placing.height}%` }"
        :aria-label="`Point ${i + 1} on the picture, at pixel ${c.pixel[0]}, ${c.pixel[1]}; arrow keys move it`"
        @click="placing.active = i"
        @keydown="nudge($event, i)"
      >
        {{ i + 1 }}
      </button>
    </div>
    <ol class="ruled" data-test="placing-points">
      <li
        v-for="(c, i) in placing.control"
        :key="i"
        class="flex items-baseline gap-2 py-1"
        :class="placing.active === i ? 'font-medium' : ''"
      >
        <button
          type="button"
          class="flex flex-1 items-baseline gap-2 text-left"
          :data-test="`point-${i + 1}`"
          @click="placing.active = i"
        >
          <span class="w-4 font-bold" :class="placing.active === i ? 'text-madder' : ''">{{ i + 1 }}</span>
          <span class="text-slate w-24">{{ c.pixel[0] }}, {{ c.pixel[1] }} px</span>
          <span class="flex-1" :title="sexagesimal(c.at)">{{ shortPosition(c.at) }}</span>
        </button>
        <button v-if="i === 2" type="button" class="text-slate text-sm underline" @click="dropThird">Remove</button>
      </li>
    </ol>
    <p class="caption">
      Choose a point, click it on the picture, then click where it lies on the map, or drag it there. A third point also
      stretches and shears.
    </p>
    <p v-if="wrong" class="border-madder border-l-2 pl-2" role="alert" data-test="placing-wrong">{{ wrong }}</p>
    <label class="flex items-center gap-2"
      ><span class="caption w-14">Opacity</span
      ><input
        v-model.number="placing.opacity"
        class="accent-verdigris flex-1"
        type="range"
        min="0.1"
        max="1"
        step="0.05"
        data-test="placing-opacity"
      /><span class="w-12 text-right">{{ Math.round(placing.opacity * 100) }} %</span></label
    >
    <div class="flex flex-wrap gap-1.5">
      <button class="act-main" :disabled="!!wrong || placing.busy" data-test="placing-save">
        Save <span class="key">Enter</span>
      </button>
      <button type="button" class="act" @click="placing.open = false">Cancel <span class="key">Esc</span></button>
      <button
        v-if="placing.control.length < 3"
        type="button"
        class="act"
        :disabled="!!wrong"
        data-test="placing-third"
        @click="addThird"
      >
        Add a third point
      </button>
      <button v-if="placing.before" type="button" class="act ml-auto" data-test="placing-delete" @click="removePlaced">
        Delete picture
      </button>
    </div>
  </form>
</template>
