<script setup lang="ts">
// Held with a finger or the pointer it calls and shows what to say; a short press, and a key, shows it without calling.
import { onBeforeUnmount, ref } from 'vue'
import { emergency } from '../desk/kept'

const emit = defineEmits<{ open: [] }>()
/** So long it has to be held, in milliseconds: nobody calls by a slip of the finger. */
const HOLD_MS = 900
const held = ref(false)
let timer = 0

function press(): void {
  if (timer || !emergency.value) return
  held.value = true
  timer = window.setTimeout(() => {
    held.value = false
    timer = -1
    emit('open')
    location.href = `tel:${emergency.value!.telephone.replace(/[^+\d*#]/g, '')}`
  }, HOLD_MS)
}
function release(): void {
  held.value = false
  if (timer > 0) clearTimeout(timer)
  timer = 0
}
onBeforeUnmount(release)
</script>

<template>
  <button
    class="act emergency relative overflow-hidden"
    :class="held ? 'held' : ''"
    :title="emergency ? `Hold to call ${emergency.name} (Shift E)` : 'Whom to call, and where you are (Shift E)'"
    data-test="emergency-button"
    @pointerdown="press"
    @pointerup="release"
    @pointerleave="release"
    @pointercancel="release"
    @contextmenu.prevent
    @click="emit('open')"
  >
    <span class="relative">SOS</span>
  </button>
</template>

<style scoped>
.emergency {
  border-color: var(--madder);
  color: var(--madder);
  font-weight: 700;
}
.emergency::before {
  content: '';
  position: absolute;
  inset: 0;
  transform: scaleX(0);
  transform-origin: left;
  background: color-mix(in srgb, var(--madder) 45%, transparent);
}
.held::before {
  transform: scaleX(1);
  transition: transform 0.9s linear;
}
</style>
