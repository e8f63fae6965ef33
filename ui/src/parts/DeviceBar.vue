<script setup lang="ts">
// Along the map's upper edge, while the device tells where it is or should: how sure that is and what to do where it is
// not known, how the map follows, and the player of a rehearsal.
import { computed } from 'vue'
import { roughBearing, distanceM } from '../chart/geodesic'
import { chart, lookAt } from '../desk/acts'
import { desk } from '../desk/desk'
import { ageMs, ageWords, answer, device, remedies, startDevice, stopDevice, tracking } from '../desk/device'
import { bearing, metres } from '../desk/format'
import { complain } from '../desk/notice'
import { closeRehearsal, playOrPause, rehearsing, scrubTo, setSpeed, stepBy } from '../desk/rehearsing'
import { SPEEDS } from '../device/player'
import FollowButton from './FollowButton.vue'

const stays = computed(() => (device.leaves ? '' : ' It stays on this machine.'))
const words = computed(() => {
  const f = device.fix
  switch (tracking.value) {
    case 'asking':
      return `The browser will ask for your position: ${device.reason}.${stays.value}`
    case 'searching':
      return 'Looking for your position …'
    case 'refused':
    case 'unavailable':
    case 'timeout':
      return remedies[tracking.value]
    case 'stale':
      return `No signal: last known ${ageWords(ageMs.value ?? 0)}, ± ${metres(f!.accuracyM)}.`
    case 'coarse':
      return `Known only within ${metres(f!.accuracyM)}. Switch on precise location, or go outdoors.`
    default:
      return f ? `± ${metres(f.accuracyM)} · ${ageWords(ageMs.value ?? 0)}` : ''
  }
})
/** Where the device is from the middle of the map, where it lies outside. */
const away = computed(() => {
  const c = chart.value
  const at = device.fix?.at
  if (!c || !at || !desk.view) return null
  const p = c.camera.toScreen(at)
  if (p.x >= 0 && p.y >= 0 && p.x <= c.camera.width && p.y <= c.camera.height) return null
  return `${metres(distanceM(desk.view, at))} ${bearing(roughBearing(desk.view, at)).slice(5)} of here`
})
const troubled = computed(() => ['refused', 'unavailable', 'timeout', 'stale'].includes(tracking.value))
/** Besides the player only what is not as it should be is said. */
const notable = computed(
  () => troubled.value || !!away.value || !!device.clockBehindMs || !!device.distrust || tracking.value === 'coarse',
)

function clock(s: number): string {
  const t = Math.round(s)
  const [h, m] = [Math.floor(t / 3600), Math.floor(t / 60) % 60]
  return `${h ? `${h}:` : ''}${String(m).padStart(2, '0')}:${String(t % 60).padStart(2, '0')}`
}
const again = () => startDevice('to find where you are').catch(complain)
</script>

<template>
  <section
    v-if="tracking !== 'off' || rehearsing.row"
    class="border-ink bg-paper absolute top-2 right-2 left-2 z-20 mx-auto flex max-w-[36rem] flex-wrap items-center gap-x-2 gap-y-1 border px-2 py-1"
    :class="device.simulated ? 'simulated' : 'border-l-4 border-l-madder'"
    aria-label="The device"
    data-test="device"
  >
    <span v-if="rehearsing.row" class="flex w-full flex-wrap items-center gap-x-2 gap-y-1">
      <strong class="text-madder shrink-0 font-serif italic">Simulated</strong>
      <span class="min-w-0 flex-1 truncate max-sm:sr-only" data-test="rehearsal-name">{{ rehearsing.row.name }}</span>
      <span class="shrink-0" data-test="elapsed"
        >{{ clock(rehearsing.elapsedS) }} / {{ clock(rehearsing.lengthS) }}</span
      >
      <span class="flex-1 sm:hidden" />
      <FollowButton />
      <button class="act" title="End the rehearsal" data-test="close-rehearsal" @click="closeRehearsal">Close</button>
    </span>
    <template v-if="rehearsing.row">
      <button class="act min-w-18 justify-center" data-test="play" @click="playOrPause">
        {{ rehearsing.playing ? 'Pause' : 'Play' }} <span class="key">p</span>
      </button>
      <button
        class="act"
        aria-label="A second back"
        title="A second back (Shift X)"
        data-test="step-back"
        @click="stepBy(-1)"
      >
        −1 s
      </button>
      <button class="act" aria-label="A second on" title="A second on (x)" data-test="step" @click="stepBy(1)">
        +1 s
      </button>
      <input
        class="accent-madder h-8 min-w-20 flex-1"
        type="range"
        min="0"
        :max="rehearsing.lengthS"
        step="1"
        :value="rehearsing.elapsedS"
        aria-label="Moment of the journey"
        data-test="scrub"
        @input="scrubTo(Number(($event.target as HTMLInputElement).value))"
      />
      <select
        class="pick"
        :value="rehearsing.speed"
        aria-label="How fast"
        data-test="speed"
        @change="setSpeed(Number(($event.target as HTMLSelectElement).value))"
      >
        <option v-for="s in SPEEDS" :key="s" :value="s">{{ s }}×</option>
      </select>
    </template>
    <span v-if="!rehearsing.row || notable" class="flex w-full flex-wrap items-center justify-end gap-x-2 gap-y-1">
      <span class="min-w-40 flex-1 leading-tight" role="status" data-test="device-state">
        {{ words }}
        <template v-if="away && !troubled"> · {{ away }}</template>
        <template v-if="device.clockBehindMs">
          · its clock is {{ ageWords(Math.abs(device.clockBehindMs)).replace(' ago', '') }}
          {{ device.clockBehindMs > 0 ? 'behind' : 'ahead' }}</template
        >
        <template v-if="device.distrust">
          · the compass cannot be trusted: move the device in a figure of eight, away from metal</template
        >
      </span>
      <template v-if="tracking === 'asking'">
        <button class="act-main" data-test="device-yes" @click="answer(true)">Go on</button>
        <button class="act" data-test="device-no" @click="answer(false)">Not now</button>
      </template>
      <template v-else>
        <button v-if="tracking === 'refused'" class="act" data-test="device-again" @click="again">Try again</button>
        <button v-if="away" class="act" data-test="device-show" @click="lookAt(device.fix!.at)">Show</button>
        <template v-if="!rehearsing.row">
          <FollowButton />
          <button class="act" data-test="device-stop" @click="stopDevice">Stop</button>
        </template>
      </template>
    </span>
  </section>
</template>

<style scoped>
/* It changes while the map moves beneath it: a layer of its own, so that only it is drawn anew. */
section {
  contain: layout paint;
  will-change: transform;
}
/* Whatever is simulated has a hatched edge. */
.simulated {
  border-left-width: 9px;
  border-image: repeating-linear-gradient(-45deg, var(--madder) 0 3px, var(--paper) 3px 7px) 0 0 0 9;
  outline: 1px solid var(--ink);
}
</style>
