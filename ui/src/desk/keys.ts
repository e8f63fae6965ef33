// Keys are declared where they act, and the list of keys is made from what was declared.

/** The groups of the list, in its order. */
export const GROUPS = [
  'Anywhere',
  'On the map',
  'A spot or a place',
  'In the form',
  'A path or an area in edit',
  'Addresses in review',
  'Journey',
  'The device',
  'Together and onward',
  'Out of the workbench',
] as const
export type Group = (typeof GROUPS)[number]

/** A line of the list: how its keys are written, what they do, and the act of each key. */
export interface KeyLine {
  as: string
  what: string
  /**
   * Acts by key: the name that the browser gives a key (KeyboardEvent.key), with Alt+, Ctrl+ or Ctrl+Shift+ before it.
   * What is done with the pointer has none.
   */
  on: Record<string, string>
}

type NameOf<L extends readonly KeyLine[]> = L[number]['on'][keyof L[number]['on']]
type Named<T> = T extends string ? T : never
/** What each act does just now; nothing where it cannot be done. */
export type Acts<L extends readonly KeyLine[]> = Record<
  Named<NameOf<L>>,
  (() => unknown) | false | null | undefined | ''
>

const declared = new Map<Group, KeyLine[]>()

/** In these a key does something else while they are open. */
const OF_THEIR_OWN: Group[] = ['In the form', 'A path or an area in edit', 'Addresses in review']
const taken = new Set<string>()

/** The lines of a group that were declared. */
export const linesOf = (group: Group): readonly KeyLine[] => declared.get(group) ?? []

function nameOf(e: KeyboardEvent): string {
  if (e.ctrlKey || e.metaKey) return `Ctrl+${e.shiftKey ? 'Shift+' : ''}${e.key.toLowerCase()}`
  return e.altKey ? `Alt+${e.key}` : e.key
}

export interface Keys<L extends readonly KeyLine[]> {
  /** Does what a key stands for; false, and nothing, where it stands for nothing that can be done. */
  press(e: KeyboardEvent, acts: Acts<L>): boolean
}

/** Declares keys, once, at the top of the file in which they act. */
export function declareKeys<const L extends readonly KeyLine[]>(group: Group, lines: L): Keys<L> {
  declared.set(group, [...(declared.get(group) ?? []), ...lines])
  const names = new Map(lines.flatMap((line) => Object.entries(line.on)))
  for (const key of OF_THEIR_OWN.includes(group) ? [] : names.keys()) {
    if (taken.has(key)) throw new Error(`The key ${key} stands for two things.`)
    taken.add(key)
  }
  return {
    press(e, acts) {
      const name = names.get(nameOf(e)) as keyof typeof acts | undefined
      const act = name && acts[name]
      if (!act) return false
      e.preventDefault()
      act()
      return true
    },
  }
}
