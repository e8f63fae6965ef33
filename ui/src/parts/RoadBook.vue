<script setup lang="ts">
// The road-book of a journey under way: junction after junction along one line, the next one large at the foot.
import { computed, nextTick, ref, watch } from 'vue'
import { desk } from '../desk/desk'
import { ageMs, ageWords, device, tracking } from '../desk/device'
import { metres, seconds } from '../desk/format'
import { complain } from '../desk/notice'
import { REPORTS, arrival, end, nextVoice, report, steps, toggleWhole, underWay, voice } from '../desk/underway'
import { stepWords, streetOf } from '../desk/words'
import JunctionMark from './JunctionMark.vue'

const progress = computed(() => underWay.progress)
const nextIndex = computed(() => Math.min(steps.value.length - 1, (progress.value?.step ?? 0) + 1))
const next = computed(() => steps.value[nextIndex.value])
/** The junctions after the next one, the farthest first, each with how far it is from here. */
const later = computed(() => {
  let m = progress.value?.toNextM ?? 0
  const out = []
  for (let i = nextIndex.value + 1; i < steps.value.length; i++) {
    m += steps.value[i - 1]!.distance_m
    out.push({ step: steps.value[i]!, index: i, farM: m })
  }
  return out.reverse()
})
const words = computed(() => {
  const p = progress.value
  if (!p || !next.value) return ''
  if (p.state === 'arrived') return `You have arrived${desk.destination?.name ? ` at ${desk.destination.name}` : ''}.`
  if (p.state === 'off' || underWay.looking) return 'Off the way: looking for a new one …'
  if (p.state === 'joining')
    return p.offM > 20
      ? `Go to ${streetOf(steps.value[0]!)}, ${metres(p.offM)} from here`
      : stepWords(steps.value[0]!, true, undefined)
  return stepWords(next.value, false, desk.destination?.name)
})
const strip = ref<HTMLElement>()
// It scrolls upwards: what comes next stays at the foot.
watch([later, strip], () => nextTick(() => strip.value && (strip.value.scrollTop = strip.value.scrollHeight)))
const clock = computed(() => arrival.value?.toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' }))
const VOICE_WORDS = { off: 'Voice off', on: 'Voice on', terse: 'Voice terse' }
const lost = computed(() => tracking.value === 'stale' || tracking.value === 'refused')
</script>

<template>
  <section class="flex min-h-0 flex-1 flex-col" aria-labelledby="road-book" data-test="road-book">
    <h1 id="road-book" class="sr-only">Journey under way</h1>
    <ol
      ref="strip"
      class="border-rule strip min-h-0 flex-1 overflow-y-auto border-b px-4"
      aria-label="Junctions to come, the farthest first"
      tabindex="0"
    >
      <li v-for="l in later" :key="l.index" class="flex min-h-12 items-center gap-3">
        <span class="text-slate w-16 shrink-0 text-right">{{ metres(l.farM) }}</span>
        <span class="line flex shrink-0 justify-center"
          ><JunctionMark :step="l.step" :size="34" class="bg-paper"
        /></span>
        <span class="min-w-0 flex-1 leading-tight">{{ stepWords(l.step, false, desk.destination?.name) }}</span>
      </li>
    </ol>
    <div v-if="next" class="flex items-center gap-3 px-4 py-2" data-test="next-junction">
      <JunctionMark :step="next" :size="84" />
      <div class="min-w-0 flex-1">
        <p class="font-serif text-4xl leading-none font-bold" :class="lost ? 'text-slate' : ''" data-test="to-next">
          {{ progress?.state === 'arrived' ? 'There' : metres(progress?.toNextM ?? 0) }}
        </p>
        <p class="mt-1 text-lg leading-tight" role="status" data-test="instruction">{{ words }}</p>
      </div>
    </div>
    <p class="border-rule flex flex-wrap items-baseline gap-x-3 border-t px-4 py-1" data-test="remaining">
      <span
        ><strong class="font-medium">{{ metres(progress?.remainingM ?? 0) }}</strong> left</span
      >
      <span>{{ seconds(progress?.remainingS ?? 0) }}</span>
      <span v-if="clock"
        >there at <strong class="font-medium" data-test="arrival">{{ clock }}</strong></span
      >
      <span v-if="lost" class="text-madder">no signal, {{ ageWords(ageMs ?? 0) }}</span>
      <span v-if="device.simulated" class="text-madder ml-auto font-serif italic landscape:max-[960px]:sr-only"
        >simulated</span
      >
    </p>
    <div v-if="underWay.reporting" class="grid grid-cols-3 gap-1 px-2 pb-2" role="group" aria-label="What is it?">
      <button
        v-for="(r, i) in REPORTS"
        :key="r"
        class="act-main min-h-14! justify-center text-lg!"
        :data-test="`report-${i}`"
        @click="report(r).catch(complain)"
      >
        {{ r[0]!.toUpperCase() + r.slice(1) }}
      </button>
    </div>
    <div class="grid grid-cols-4 gap-1 px-2 pb-2">
      <button class="act min-h-12! justify-center" data-test="whole-way" @click="toggleWhole">
        {{ underWay.whole ? 'Back' : 'Whole way' }}
      </button>
      <button
        class="act min-h-12! justify-center"
        :aria-expanded="underWay.reporting"
        data-test="report"
        @click="underWay.reporting = !underWay.reporting"
      >
        Report
      </button>
      <button class="act min-h-12! justify-center" data-test="voice" @click="nextVoice">
        {{ VOICE_WORDS[voice] }}
      </button>
      <button class="act min-h-12! justify-center" data-test="end-journey" @click="end">End</button>
    </div>
  </section>
</template>

<style scoped>
.strip {
  display: flex;
  flex-direction: column;
}
.strip > :first-child {
  margin-top: auto;
}
/* The line that all junctions lie on. */
.line {
  align-self: stretch;
  align-items: center;
  width: 34px;
  background: linear-gradient(var(--verdigris), var(--verdigris)) center / 3px 100% no-repeat;
}
@media (max-width: 960px) and (orientation: landscape) {
  .strip {
    flex-grow: 1;
    min-height: 3rem;
  }
}
</style>
