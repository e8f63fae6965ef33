// Day and night, from the same palettes that the ground is drawn with.

import ground from '@style/ground.json'
import { usePreferredDark, useStorage } from '@vueuse/core'
import { computed, watchEffect } from 'vue'
import { desk } from './desk'

const preferred = usePreferredDark()
const chosen = useStorage<'day' | 'night' | ''>('viandante-palette', '')

export const palette = computed<'day' | 'night'>(() => chosen.value || (preferred.value ? 'night' : 'day'))

export const groundStyles = Object.entries(ground.styles).map(([name, s]) => ({ name, title: s.title }))

/** The next way of drawing the ground. */
export function nextGround(): void {
  const k = groundStyles.findIndex((s) => s.name === desk.ground)
  desk.ground = groundStyles[(k + 1) % groundStyles.length]!.name
}

export function toggleLettering(): void {
  desk.lettering = desk.lettering === 'large' ? 'plain' : 'large'
}

export function togglePalette(): void {
  chosen.value = palette.value === 'day' ? 'night' : 'day'
}

watchEffect(() => {
  const root = document.documentElement
  for (const [name, colour] of Object.entries(ground.palettes[palette.value]))
    root.style.setProperty(`--${name}`, colour)
  root.style.colorScheme = palette.value === 'day' ? 'light' : 'dark'
})
