// The party on the map: everybody whose position is known, and the watches.

import { useMediaQuery } from '@vueuse/core'
import { reactive, watchEffect, type ShallowRef } from 'vue'
import type { Chart } from '../chart/chart'
import { desk } from '../desk/desk'
import { watches } from '../desk/kept'
import { looking } from '../desk/live'
import { guest, inParty, initials } from '../desk/party'
import { centreOf, ringsOf } from '../desk/watches'
import { People } from '../layers/people'
import { Shapes, type Shape } from '../layers/shapes'

const INKS = ['verdigris', 'madder', 'ink']

/** The colour of somebody: the same each time, for him and for whoever looks. */
export function inkOf(id: string): string {
  let sum = 0
  for (const c of id) sum = (sum * 31 + c.charCodeAt(0)) % 9973
  return INKS[sum % INKS.length]!
}

/** Pictures of people, by their hash, once they are there. */
const pictures = reactive(new Map<string, HTMLImageElement | null>())

export function pictureOf(hash: string): HTMLImageElement | undefined {
  if (!hash) return undefined
  if (!pictures.has(hash)) {
    pictures.set(hash, null)
    const image = new Image()
    image.onload = () => pictures.set(hash, image)
    image.src = `/v1/pictures/${hash}`
  }
  return pictures.get(hash) ?? undefined
}

export function usePeople(chart: ShallowRef<Chart | undefined>) {
  const people = new People()
  const zones = new Shapes(16, true)
  const still = useMediaQuery('(prefers-reduced-motion: reduce)')

  watchEffect(() => {
    people.glides = !still.value
    people.list = !looking.value
      ? []
      : inParty.value.flatMap(({ person: p, fresh }) =>
          p.at && (fresh !== 'gone' || desk.who === p.id)
            ? [
                {
                  id: p.id,
                  at: p.at,
                  letters: initials(p.name),
                  name: p.name,
                  ink: inkOf(p.id),
                  stale: fresh !== 'live',
                  selected: desk.who === p.id,
                  accuracyM: p.accuracyM ?? 0,
                  headingDeg: p.headingDeg,
                  picture: pictureOf(p.picture),
                },
              ]
            : [],
        )
    chart.value?.invalidate()
  })

  watchEffect(() => {
    const list: Shape[] = []
    for (const w of looking.value && !guest.value ? watches.value : []) {
      const centre = centreOf(w)
      const selected = desk.watch === w.id
      const shown = {
        ink: w.paused ? 'slate' : 'ochre',
        width: selected ? 3 : 1.8,
        dash: [2, 5],
        fill: selected ? 0.1 : undefined,
        label: selected && !w.follows ? w.name : undefined,
      }
      if (w.area) list.push({ id: w.id, figure: { kind: 'polygon', rings: ringsOf(w) }, ...shown })
      else if (centre)
        for (const radiusM of [w.within_m ?? 0, w.beyond_m ?? 0])
          if (radiusM > 0)
            list.push({ id: `${w.id} ${radiusM}`, figure: { kind: 'circle', at: centre, radiusM }, ...shown })
    }
    const none = !list.length && !zones.shapes.length
    zones.shapes = list
    if (!none) chart.value?.changed(zones)
  })

  return { people, zones }
}
