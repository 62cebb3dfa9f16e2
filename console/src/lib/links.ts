import type { Answer, Query, Row, Table, TableColumn } from '../api/client'
import { joinList } from './address.svelte'
import type { Figure } from './figures'
import { columnText, isValue } from './filters'
import { wallTimes } from './moments'
import { isAll, isOther } from './query'

// Addresses of pages, made from questions and answers.

/** The part of an address that says as of when, and in which calendar, a question is read. */
export function contextOf(q: Pick<Query, 'as_of' | 'at_close' | 'calendar' | 'known'>): URLSearchParams {
  const link = new URLSearchParams()
  const [day = '', time] = (q.as_of ?? '').split('T')
  if (day !== '') link.set('as_of', day)
  if (time) link.set('time', time.slice(0, 5))
  if (q.at_close) link.set('at_close', 'yes')
  if (q.calendar) link.set('calendar', q.calendar)
  if (q.known) link.set('known', q.known)
  return link
}

/** The page Totals with a question. */
export function totalsPage(q: Query): string {
  const link = contextOf(q)
  for (const [name, value] of Object.entries(q)) {
    if (['as_of', 'at_close', 'calendar', 'known', 'subtotals'].includes(name)) continue
    if (Array.isArray(value)) {
      if (value.length > 0) link.set(name, joinList(value as string[]))
    } else if (value === true) link.set(name, 'yes')
    else if (value !== undefined && value !== false && value !== '') link.set(name, String(value))
  }
  return '/totals?' + link.toString()
}

// Which days a figure of a row is of; of what it is compared with, where that is of the same records.
function daysOf(a: Answer, r: Row, c: TableColumn) {
  if (c.role === 'figure') return r
  const compared = a.spans[r.span]?.comparisons ?? []
  const k = compared.findIndex((one) => one.name === c.comparison && !one.dataset)
  return c.role !== 'counterpart' || k < 0 ? null : (r.comparisons?.[k] ?? compared[k]!)
}

/**
 * The records behind a figure: the same days, filters and date, with a running sum of the first column that is summed.
 * Null if no list of records matches the figure.
 */
export function recordsPage(
  a: Answer,
  table: Table,
  r: Row,
  c: TableColumn,
  context: URLSearchParams,
  parse: (figure: string) => Figure,
): string | null {
  const days = daysOf(a, r, c)
  if (!days) return null
  const groups = [...table.by.map((name, i) => ({ name, label: r.group[i] }))]
  if (a.query.across) groups.push({ name: a.query.across, label: c.group })
  if (groups.some((g) => isOther(g.label))) return null
  const link = new URLSearchParams(context)
  link.set('dataset', a.dataset)
  const runs = days.moments ? days.moments.map(wallTimes) : days.intervals.map((v) => `${v.first_day}/${v.last_day}`)
  const over = !r.unit && c.role === 'figure' ? '' : runs.length > 1 ? `(${runs.join(' or ')})` : (runs[0] ?? '')
  if (over === '' && c.role !== 'figure') return null // no day is compared with
  link.set('over', over || (a.spans[r.span]?.expression ?? ''))
  const fixed = groups.filter((g) => !isAll(g.label) && g.label !== undefined)
  const where = (a.query.where ?? []).filter((w) => !fixed.some((g) => w.startsWith(columnText(g.name) + '=')))
  where.push(...fixed.map((g) => isValue(g.name, g.label as string | null)))
  if (where.length > 0) link.set('where', joinList(where))
  if (a.query.date) link.set('date', a.query.date)
  const sum = a.query.figures?.map(parse).find((f) => f.kind === 'sum')
  if (sum) link.set('running', sum.column)
  return '/records?' + link.toString()
}

/** The figures of which it can be found out what a change is made of. */
export const explained: readonly string[] = ['count', 'sum', 'mean', 'ratio']

/**
 * What a compared figure of a row is made of: the same days, filters and comparison. Null if the figure has no drivers, or
 * is compared with other records or with nothing.
 */
export function driversPage(
  a: Answer,
  table: Table,
  r: Row,
  c: TableColumn,
  context: URLSearchParams,
  parse: (figure: string) => Figure,
): string | null {
  const figure = a.query.figures?.[c.figure]
  if (c.role !== 'change' || !figure || parse(figure).derived !== '' || !explained.includes(parse(figure).kind))
    return null
  const compared = a.spans[r.span]?.comparisons ?? []
  const k = compared.findIndex((one) => one.name === c.comparison && !one.dataset)
  const against = a.query.against?.[k]
  const records = recordsPage(a, table, r, { ...c, role: 'figure' }, context, parse)
  if (k < 0 || against === undefined || records === null) return null
  const link = new URLSearchParams(records.slice('/records?'.length))
  link.delete('running')
  link.set('figures', figure)
  link.set('against', joinList([against]))
  link.set('over', joinList([link.get('over') ?? '']))
  if (a.query.like_for_like) link.set('like_for_like', 'yes')
  return '/drivers?' + link.toString()
}
