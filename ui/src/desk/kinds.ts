// Collections with what they define, and categories: changed with undo.

import { api, unwrap, type Attribute, type Category, type Collection } from '../api/client'
import { record } from './history'
import { categories, collections, loadKinds } from './places'

/** A name that can be an id or an attribute's name, from what somebody calls it. */
export function slug(title: string, otherwise: string): string {
  const s = title.normalize('NFKD').replace(/\p{M}/gu, '').toLowerCase().replace(/[^a-z0-9]+/g, '_').replace(/^[^a-z]+|_+$/g, '').slice(0, 40)
  return s || otherwise
}

const put = (c: Pick<Collection, 'id' | 'title' | 'description' | 'attributes'>) =>
  unwrap(api.PUT('/v1/collections/{collection}', { params: { path: { collection: c.id } }, body: { title: c.title, description: c.description, attributes: c.attributes } })).then(loadKinds)
const drop = (id: string) => unwrap(api.DELETE('/v1/collections/{collection}', { params: { path: { collection: id } } })).then(loadKinds)

export async function saveCollection(next: Pick<Collection, 'id' | 'title' | 'description' | 'attributes'>): Promise<void> {
  const before = collections.value.find((c) => c.id === next.id)
  await put(next)
  record({ what: before ? `Changed the collection “${next.title}”` : `Made the collection “${next.title}”`, undo: () => (before ? put(before) : drop(next.id)), redo: () => put(next) })
}

export async function deleteCollection(c: Collection): Promise<void> {
  await drop(c.id)
  record({ what: `Deleted the collection “${c.title}”`, undo: () => put(c), redo: () => drop(c.id) })
}

/** The id of a new thing with a title, unlike those that are there. */
export function freshId(title: string, otherwise: string, taken: { id: string }[]): string {
  const base = slug(title, otherwise)
  let id = base
  for (let n = 2; taken.some((t) => t.id === id); n++) id = `${base}_${n}`
  return id
}

export const emptyAttribute = (): Attribute => ({ name: '', title: '', type: 'text', required: false })

const putCategory = ({ id, ...body }: Category) => unwrap(api.PUT('/v1/categories/{category}', { params: { path: { category: id } }, body }))
const dropCategory = (id: string) => unwrap(api.DELETE('/v1/categories/{category}', { params: { path: { category: id } } }))

async function putAll(list: Category[]): Promise<void> {
  for (const c of list) await putCategory(c)
  await loadKinds()
}

export async function saveCategory(next: Category): Promise<void> {
  const before = categories.value.find((c) => c.id === next.id)
  await putAll([next])
  record({ what: before ? `Changed the category “${next.name}”` : `Made the category “${next.name}”`, undo: () => (before ? putAll([before]) : dropCategory(next.id).then(loadKinds)), redo: () => putAll([next]) })
}

export async function deleteCategory(c: Category): Promise<void> {
  const drop = () => dropCategory(c.id).then(loadKinds)
  await drop()
  record({ what: `Deleted the category “${c.name}”`, undo: () => putAll([c]), redo: drop })
}

/** Moves a category up or down in the order. */
export async function moveCategory(c: Category, by: number): Promise<void> {
  const order = [...categories.value]
  const i = order.findIndex((o) => o.id === c.id)
  const k = i + by
  if (i < 0 || k < 0 || k >= order.length) return
  order.splice(k, 0, ...order.splice(i, 1))
  const after = order.map((o, n) => ({ ...o, position: n })).filter((o) => categories.value.find((b) => b.id === o.id)!.position !== o.position)
  const before = after.map((o) => categories.value.find((b) => b.id === o.id)!)
  await putAll(after)
  record({ what: `Moved the category “${c.name}”`, undo: () => putAll(before), redo: () => putAll(after) })
}
