// What keys do to the outline in hand.

import { chart } from './acts'
import { beginHole, clickedAt, deleteVertex, dragVertex, editing, mark, nextVertex, split } from './editing'
import { declareKeys } from './keys'

const keys = declareKeys('A path or an area in edit', [
  { as: '. · ,', what: 'next vertex · previous', on: { '.': 'next', ',': 'previous' } },
  {
    as: 'Alt, arrows',
    what: 'move it, farther with Shift',
    on: { 'Alt+ArrowLeft': 'left', 'Alt+ArrowRight': 'right', 'Alt+ArrowUp': 'up', 'Alt+ArrowDown': 'down' },
  },
  {
    as: 'Del · Ins',
    what: 'delete it · continue drawing',
    on: { Delete: 'remove', Backspace: 'remove', Insert: 'draw' },
  },
  { as: 'Shift X · O', what: 'split there · a hole', on: { X: 'split', O: 'hole' } },
  { as: 'space', what: 'a vertex in the middle of the map', on: { ' ': 'add' } },
  { as: 'Enter', what: 'finish drawing', on: { Enter: 'finish', Escape: 'finish' } },
])

/** Moves the vertex in hand by some pixels. */
function nudge(e: KeyboardEvent, x: number, y: number): void {
  const [o, v, camera] = [editing.draft.outline, editing.active, chart.value?.camera]
  if (!o || o.kind === 'circle' || !v || !camera) return
  const at = camera.toScreen(o.rings[v.ring]![v.i]!)
  const by = e.shiftKey ? 20 : 2
  mark()
  dragVertex(v, camera.fromScreen({ x: at.x + x * by, y: at.y + y * by }))
}

/** They go before all other keys while an outline is drawn or edited. */
export function outlineKey(e: KeyboardEvent): boolean {
  const o = editing.draft.outline
  if (!editing.open || !o || o.kind === 'circle') return false
  const moved = (x: number, y: number) => editing.active && (() => nudge(e, x, y))
  return keys.press(e, {
    next: () => nextVertex(1),
    previous: () => nextVertex(-1),
    left: moved(-1, 0),
    right: moved(1, 0),
    up: moved(0, -1),
    down: moved(0, 1),
    remove: deleteVertex,
    draw: () => (editing.drawing = !!editing.active),
    split,
    hole: beginHole,
    add: editing.drawing && (() => chart.value && clickedAt(chart.value.view)),
    finish: editing.drawing && (() => (editing.drawing = false)),
  })
}
