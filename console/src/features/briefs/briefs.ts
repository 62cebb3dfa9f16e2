import { createQuery, useQueryClient } from '@tanstack/svelte-query'
import { api, data, ifMatch, type Answer, type Note, type Schemas } from '../../api/client'
import { all } from '../../api/queries'
import { joinList } from '../../lib/address.svelte'
import { contextOf, totalsPage } from '../../lib/links'
import { compact, type PageQuery } from '../../lib/query'
import { lineText } from '../lines/lines'

export type Item = Schemas['BriefItem']
export type ItemView = Schemas['BriefItemView']
export type BriefDefinition = Schemas['BriefDefinition']
export type Brief = Schemas['Brief']
export type BriefView = Schemas['BriefView']

export const useBriefs = () =>
  createQuery(() => ({
    queryKey: ['briefs'],
    queryFn: () => all(async (query) => data(await api.GET('/briefs', { params: { query } }))),
  }))

/** How many of 12 columns an item takes where it says nothing. */
export const defaultWidth: Record<Item['kind'], number> = {
  figure: 3,
  table: 6,
  bars: 6,
  lines: 12,
  ageing: 6,
  drivers: 12,
}
export const widthOf = (it: Item) => it.width || defaultWidth[it.kind]

/** Saves a brief: a change is made from a version, 0 for a new brief, and one made meanwhile is refused. */
export function useSaveBrief() {
  const client = useQueryClient()
  return async (definition: BriefDefinition, from: number, note = ''): Promise<Brief> => {
    const query = note ? { note } : {}
    const reply =
      from === 0
        ? await api.POST('/briefs', { params: { query }, body: definition })
        : await api.PUT('/briefs/{name}', {
            params: { path: { name: definition.name }, query, header: ifMatch(from) },
            body: definition,
          })
    const saved = data(reply)
    await client.invalidateQueries({ queryKey: ['briefs'] })
    return saved
  }
}

/** An item with another expression where a pointer says. */
export function mended(it: Item, pointer: string, expression: string): Item {
  const own = JSON.parse(JSON.stringify(it)) as Item
  const path = pointer.split('/').slice(1)
  const last = path.pop() ?? ''
  let at = (it.kind === 'ageing' ? own.ageing : own) as unknown as Record<string, unknown>
  for (const step of path) at = at[step] as Record<string, unknown>
  at[last] = expression
  return own
}

/** The page on which the question of an item can be taken further; null for one without an answer. */
export function pageOf(view: ItemView): string | null {
  if (view.drivers && view.answer) return totalsPage(view.answer.query).replace('/totals?', '/drivers?')
  if (view.answer) return totalsPage(view.answer.query)
  if (view.lineup) {
    const { lines, each, running, as_of, at_close, calendar } = view.lineup
    const link = contextOf({ as_of, at_close, calendar })
    const texts = lines.map(({ label, query: q }) =>
      lineText({
        label,
        dataset: q.dataset ?? '',
        over: q.over?.[0] ?? '',
        figures: q.figures?.[0] ?? 'count',
        where: q.where ?? [],
        against: q.against?.[0] ?? '',
        planned: q.planned ?? false,
      }),
    )
    link.set('line', joinList(texts))
    link.set('each', each)
    if (running) link.set('running', running)
    return '/lines?' + link.toString()
  }
  if (view.ageing) {
    const { as_of, at_close, calendar } = view.ageing
    const link = contextOf({ as_of, at_close, calendar })
    link.set('dataset', view.item.dataset ?? '')
    for (const [name, value] of Object.entries(view.item.ageing ?? {}))
      if (value !== undefined && value !== '') link.set(name, Array.isArray(value) ? joinList(value) : String(value))
    return '/ageing?' + link.toString()
  }
  return null
}

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

/** A query of the totals page as an item of a brief; each kind takes what it can show. */
export function toItem(kind: Item['kind'], title: string, dataset: string, q: PageQuery): Item {
  const { over, figures, where, date, against, against_dataset, like_for_like, planned, each, running, ...rest } = q
  const one = figures.find((f) => f !== 'count') ?? figures[0] ?? 'count'
  const base = { kind, title, dataset, where, date, against, against_dataset, like_for_like, planned }
  const table = { ...base, ...rest, over, figures, each, running }
  const bars = { ...base, over: over.slice(0, 1), figures: [one], each, running }
  const figure = { ...base, over: over.slice(0, 1), figures: [one], spark: 'month' }
  return compact({ table, bars, figure, lines: base, ageing: base, drivers: figure }[kind]) as Item
}

/**
 * The notes of an answer that are not to be missed: cautions, warnings, where records end, sides of other lengths. How many
 * records have no day is said once, at the head of the brief.
 */
export const tellingOf = (a: Answer | undefined): Note[] =>
  (a?.notes ?? []).filter(
    (n) => n.code !== 'excluded' && (n.level !== 'info' || n.code === 'records_end' || n.code === 'lengths_differ'),
  )
