// The instructions of a way in words, to read and to hear.

import type { Step } from '../api/client'

const UNNAMED: Record<string, string> = {
  path: 'the path',
  track: 'the track',
  cycleway: 'the cycle way',
  steps: 'the steps',
  service: 'the lane',
  ferry: 'the ferry',
  pedestrian: 'the walkway',
}

/** The street of a step, or what it is where it has no name. */
export const streetOf = (s: Step): string => s.name || UNNAMED[s.way] || 'the road'

/** What is to be done where a step begins; the first of them sets out. */
export function stepWords(s: Step, first: boolean, goal: string | undefined): string {
  const on = streetOf(s)
  if (s.turn === 'arrive') return `Arrive${goal ? ` at ${goal}` : ''}`
  if (first) return `Set out along ${on}`
  if (s.turn === 'straight') return `Go on along ${on}`
  if (s.turn === 'back') return `Turn back along ${on}`
  return `${s.turn[0]!.toUpperCase()}${s.turn.slice(1)} into ${on}`
}

/** A length as it is spoken: in round figures, the unit in full. */
export function spokenLength(m: number): string {
  if (m < 95) return `${Math.max(10, Math.round(m / 10) * 10)} metres`
  if (m < 975) return `${Math.round(m / 50) * 50} metres`
  const km = Math.round(m / 100) / 10
  return km === 1 ? '1 kilometre' : `${km} kilometres`
}
