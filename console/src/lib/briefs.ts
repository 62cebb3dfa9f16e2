import { createQuery, useQueryClient } from '@tanstack/svelte-query'
import { api, data, Refused, type Schemas } from './api'
import type { Asked } from './question'

export type Item = Schemas['BriefItem']
export type ItemView = Schemas['BriefItemView']
export type BriefDefinition = Schemas['BriefDefinition']
export type Brief = Schemas['Brief']
export type BriefView = Schemas['BriefView']

export const useBriefs = () => createQuery(() => ({ queryKey: ['briefs'], queryFn: async () => data(await api.GET('/briefs')) }))
export const useReceipts = () => createQuery(() => ({ queryKey: ['receipts'], queryFn: async () => data(await api.GET('/receipts')) }))

/** How many of 12 columns an item takes where it says nothing. */
export const usualWidth: Record<Item['kind'], number> = { figure: 3, table: 6, bars: 6, lines: 12 }
export const widthOf = (it: Item) => it.width || usualWidth[it.kind]

/** Keeps briefs: every change is made from a version, and one made meanwhile is refused. */
export function useKeeper() {
  const client = useQueryClient()
  return async (definition: BriefDefinition, from: number, note = ''): Promise<Brief> => {
    const kept = data(await api.PUT('/briefs/{name}', { params: { path: { name: definition.name }, query: { version: from, note } }, body: definition }))
    await client.invalidateQueries({ queryKey: ['briefs'] })
    return kept
  }
}

export const isConflict = (e: unknown): boolean => e instanceof Refused && e.problem.status === 409

/** A name made of a title. */
export function nameOf(title: string): string {
  const name = title
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^[^a-z]+/, '')
    .replace(/-+$/, '')
    .slice(0, 60)
  return name === '' ? 'brief' : name
}

const filled = (list: string[]) => (list.length > 0 ? list : undefined)

/** A question of Totals as an item of a brief. */
export function toItem(kind: Item['kind'], title: string, dataset: string, q: Asked): Item {
  const figures = q.figures.map((f) => f.replace(':', ' '))
  const item: Record<string, unknown> = {
    kind,
    title,
    dataset,
    over: kind === 'table' ? q.over : q.over.slice(0, 1),
    figures: kind === 'table' ? figures : [figures.find((f) => f !== 'count') ?? figures[0]],
    where: filled(q.where),
    date: q.date || undefined,
    against: filled(q.against),
    beside: filled(q.beside),
    even: q.even || undefined,
    planned: q.planned || undefined,
  }
  if (kind === 'table') Object.assign(item, { by: filled(q.by), across: q.across || undefined, top: q.top || undefined, share: q.share || undefined, previous: q.previous || undefined, rolling: q.rolling || undefined })
  if (kind !== 'figure') Object.assign(item, { each: q.each || undefined, running: q.running || undefined })
  if (kind === 'figure') item.spark = 'month'
  return Object.fromEntries(Object.entries(item).filter(([, v]) => v !== undefined)) as unknown as Item
}
