// The one line that says what has just happened, and what went wrong.

import { ref } from 'vue'

export interface Notice {
  text: string
  wrong: boolean
  undoable: boolean
}

export const notice = ref<Notice | null>(null)
let timer = 0

export function say(text: string, options: { wrong?: boolean; undoable?: boolean } = {}): void {
  notice.value = { text, wrong: options.wrong ?? false, undoable: options.undoable ?? false }
  clearTimeout(timer)
  timer = window.setTimeout(() => (notice.value = null), options.wrong ? 9000 : 6000)
}

export function complain(error: unknown): void {
  if (error instanceof DOMException && error.name === 'AbortError') return
  say(error instanceof Error ? error.message : String(error), { wrong: true })
}
