// What has been done on this visit, so that it can be taken back and done again.

import { computed, reactive } from 'vue'
import { say } from './notice'

/** A change that can be taken back. Both ways work on whatever version is there then, and fail when it is gone. */
export interface Step {
  what: string
  undo(): Promise<unknown>
  redo(): Promise<unknown>
}

const done = reactive<Step[]>([])
const undone = reactive<Step[]>([])
export const canUndo = computed(() => done.length > 0)
export const canRedo = computed(() => undone.length > 0)

export function record(step: Step): void {
  done.push(step)
  undone.length = 0
  say(step.what, { undoable: true })
}

async function shift(from: Step[], to: Step[], way: 'undo' | 'redo', word: string): Promise<void> {
  const step = from.pop()
  if (!step) return
  try {
    await step[way]()
    to.push(step)
    say(`${word}: ${step.what}`)
  } catch (e) {
    from.push(step)
    throw e
  }
}

export const undo = () => shift(done, undone, 'undo', 'Undone')
export const redo = () => shift(undone, done, 'redo', 'Redone')
