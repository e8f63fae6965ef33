// The map follows the device: in its middle, or with its heading up. A pan frees it, one key follows again.

import { watch } from 'vue'
import type { Held } from '../chart/moving'
import { chart } from './acts'
import { desk, type Mode } from './desk'
import { device, glides, heading, shownAt, startDevice, type Follow } from './device'
import { complain, say } from './notice'
import { wholePage } from './server'

/** How near the map comes on a journey. */
const ZOOM: Record<Mode, number> = { foot: 16.5, bicycle: 16, car: 15 }
const ON: Record<Exclude<Follow, 'free'>, Held['on']> = { centred: { x: 0.5, y: 0.5 }, heading: { x: 0.5, y: 0.66 } }

/** Follows in a manner from now on. */
export function follow(how: Follow): void {
  device.follow = how
  hold()
}

function hold(): void {
  const how = device.follow
  if (how === 'free' || !device.fix) return chart.value?.follow(null)
  chart.value?.follow(
    {
      at: shownAt,
      up: () => (device.follow === 'heading' ? heading.value : null),
      on: ON[how],
      moves: (now) => glides(now),
    },
    desk.underWay ? ZOOM[desk.by] : undefined,
  )
}

/** The next manner of following; where nothing is followed, the device in the middle. */
export async function followNext(): Promise<void> {
  if (!(await startDevice('so that the map can follow you'))) return
  const to: Follow = device.follow === 'centred' ? 'heading' : device.follow === 'heading' ? 'free' : lastFollow
  follow(to)
  say({ free: 'The map stays.', centred: 'The map follows.', heading: headingWords() }[to])
}

const headingWords = () =>
  heading.value === null ? 'Heading up, as soon as there is a heading.' : 'The map follows, heading up.'

let lastFollow: Follow = 'centred'

wholePage.run(() => {
  watch(chart, (c) =>
    c?.on('freed', () => {
      if (device.follow !== 'free') lastFollow = device.follow
      device.follow = 'free'
    }),
  )
  // The first position is what following waits for.
  watch(
    () => !!device.fix,
    (known) => known && device.follow !== 'free' && hold(),
  )
  // While it glides, each frame has it in another place.
  watch(
    () => device.fix,
    () => chart.value?.invalidate(),
  )
})

export const followAgain = (): void => void followNext().catch(complain)
