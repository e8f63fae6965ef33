<script setup lang="ts">
// How a token was used in the last thirty days: a bar for each day, and the calls below, the most frequent first.
import { computed } from 'vue'

interface Use {
  day: string
  call: string
  answered: number
  refused: number
}
const props = defineProps<{ use: Use[] }>()
const DAYS = 30
const HEIGHT = 54
const days = computed(() => {
  const out = Array.from({ length: DAYS }, (_, i) => {
    const day = new Date(Date.now() - (DAYS - 1 - i) * 864e5).toISOString().slice(0, 10)
    return { day, answered: 0, refused: 0 }
  })
  for (const u of props.use) {
    const d = out.find((o) => o.day === u.day)
    if (d) Object.assign(d, { answered: d.answered + u.answered, refused: d.refused + u.refused })
  }
  return out
})
const most = computed(() => Math.max(1, ...days.value.map((d) => d.answered + d.refused)))
const calls = computed(() => {
  const by = new Map<string, { answered: number; refused: number }>()
  for (const u of props.use) {
    const c = by.get(u.call) ?? { answered: 0, refused: 0 }
    by.set(u.call, { answered: c.answered + u.answered, refused: c.refused + u.refused })
  }
  return [...by].sort((a, b) => b[1].answered - a[1].answered).slice(0, 8)
})
const high = (n: number) => (n / most.value) * HEIGHT
const total = computed(() => days.value.reduce((n, d) => n + d.answered, 0))
</script>

<template>
  <figure data-test="use">
    <figcaption class="caption">
      {{ total.toLocaleString('en') }} calls in thirty days<template v-if="most > 1"
        >, at most {{ most }} a day</template
      >
    </figcaption>
    <svg
      :viewBox="`0 0 300 ${HEIGHT + 2}`"
      class="h-14 w-full"
      preserveAspectRatio="none"
      role="img"
      :aria-label="`Calls by day, ${total} in all`"
    >
      <g v-for="(d, i) in days" :key="d.day">
        <title>{{ d.day }}: {{ d.answered }} answered, {{ d.refused }} refused</title>
        <rect :x="i * 10" y="0" width="9" :height="HEIGHT + 1" fill="transparent" />
        <rect
          :x="i * 10 + 1"
          :y="HEIGHT - high(d.answered)"
          width="7"
          :height="high(d.answered)"
          fill="var(--verdigris)"
        />
        <rect
          :x="i * 10 + 1"
          :y="HEIGHT - high(d.answered + d.refused)"
          width="7"
          :height="high(d.refused)"
          fill="var(--madder)"
        />
      </g>
      <path :d="`M0 ${HEIGHT + 0.5}H300`" stroke="var(--ink)" stroke-width="1" vector-effect="non-scaling-stroke" />
    </svg>
    <table v-if="calls.length" class="caption w-full">
      <tbody>
        <tr v-for="[call, n] in calls" :key="call">
          <td class="max-w-0 w-full truncate">{{ call }}</td>
          <td class="pl-2 text-right tabular-nums">{{ n.answered.toLocaleString('en') }}</td>
          <td class="text-madder pl-2 text-right tabular-nums">{{ n.refused || '' }}</td>
        </tr>
      </tbody>
    </table>
  </figure>
</template>
