// Collections with what they define, and categories: changed with undo.

import { api, unwrap, type Attribute, type Category, type Collection } from '../api/client'
import { record } from './history'
import { categories, collections, loadKinds } from './places'

/** A name that can be an id or an attribute's name, from what somebody calls it. */
export function slug(title: string, otherwise: string): string {
  const s = title
    .normalize('NFKD')
    .replace(/\p{M}/gu, '')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '_')
    .replace(/^[^a-z]+|_+$/g, '')
    .slice(0, 40)
  return s || otherwise
}

type CollectionIn = Pick<Collection, 'id' | 'title' | 'description' | 'attributes'>

/**
 * What is to be there before a change: the version that was seen, whatever there is (a step back or forth), or nothing.
 */
type Before = number | 'any' | 'none'
const when = (before: Before) =>
  before === 'none' ? { 'If-None-Match': '*' } : { 'If-Match': before === 'any' ? '*' : `"${before}"` }

async function put(c: CollectionIn, before: Before): Promise<void> {
  const body = { title: c.title, description: c.description, attributes: c.attributes }
  await unwrap(
    api.PUT('/v1/collections/{collection}', { params: { path: { collection: c.id }, header: when(before) }, body }),
  )
  await loadKinds()
}

async function drop(id: string, before: Before): Promise<void> {
  await unwrap(
    api.DELETE('/v1/collections/{collection}', { params: { path: { collection: id }, header: when(before) } }),
  )
  await loadKinds()
}

export async function saveCollection(next: CollectionIn): Promise<void> {
  const before = collections.value.find((c) => c.id === next.id)
  await put(next, before?.version ?? 'none')
  record({
    what: before ? `Changed the collection “${next.title}”` : `Made the collection “${next.title}”`,
    undo: () => (before ? put(before, 'any') : drop(next.id, 'any')),
    redo: () => put(next, before ? 'any' : 'none'),
  })
}

export async function deleteCollection(c: Collection): Promise<void> {
  await drop(c.id, c.version)
  record({ what: `Deleted the collection “${c.title}”`, undo: () => put(c, 'none'), redo: () => drop(c.id, 'any') })
}

/** The id of a new thing with a title, unlike those that are there. */
export function freshId(title: string, otherwise: string, taken: { id: string }[]): string {
  const base = slug(title, otherwise)
  let id = base
  for (let n = 2; taken.some((t) => t.id === id); n++) id = `${base}_${n}`
  return id
}

export const emptyAttribute = (): Attribute => ({ name: '', title: '', type: 'text', required: false })

async function putAll(list: Category[], before: (c: Category) => Before): Promise<void> {
  try {
    for (const c of list) {
      const { id, version: _, ...body } = c
      await unwrap(
        api.PUT('/v1/categories/{category}', { params: { path: { category: id }, header: when(before(c)) }, body }),
      )
    }
  } finally {
    await loadKinds()
  }
}

async function dropCategory(id: string, before: Before): Promise<void> {
  await unwrap(api.DELETE('/v1/categories/{category}', { params: { path: { category: id }, header: when(before) } }))
  await loadKinds()
}

const any = (): Before => 'any'
const none = (): Before => 'none'

export async function saveCategory(next: Category): Promise<void> {
  const before = categories.value.find((c) => c.id === next.id)
  await putAll([next], () => before?.version ?? 'none')
  record({
    what: before ? `Changed the category “${next.name}”` : `Made the category “${next.name}”`,
    undo: () => (before ? putAll([before], any) : dropCategory(next.id, 'any')),
    redo: () => putAll([next], before ? any : none),
  })
}

export async function deleteCategory(c: Category): Promise<void> {
  await dropCategory(c.id, c.version)
  record({
    what: `Deleted the category “${c.name}”`,
    undo: () => putAll([c], none),
    redo: () => dropCategory(c.id, 'any'),
  })
}

/** Moves a category up or down in the order. */
export async function moveCategory(c: Category, by: number): Promise<void> {
  const order = [...categories.value]
  const i = order.findIndex((o) => o.id === c.id)
  const k = i + by
  if (i < 0 || k < 0 || k >= order.length) return
  order.splice(k, 0, ...order.splice(i, 1))
  const after = order
    .map((o, n) => ({ ...o, position: n }))
    .filter((o) => categories.value.find((b) => b.id === o.id)!.position !== o.position)
  const before = after.map((o) => categories.value.find((b) => b.id === o.id)!)
  await putAll(after, (o) => categories.value.find((b) => b.id === o.id)?.version ?? 'any')
  record({ what: `Moved the category “${c.name}”`, undo: () => putAll(before, any), redo: () => putAll(after, any) })
}
