import type { Dataset, Schemas } from './api'
import { grouped, rounded } from './days'
import { toFilters } from './filters'
import { param, params } from './state.svelte'

// What a page of totals asks, as its address says it.

export type Figure = Schemas['Figure']
export type FigureInfo = Schemas['FigureInfo']
export type TotalRequest = Schemas['TotalRequest']
export type TotalRow = Schemas['TotalRow']
export type Comparison = Schemas['Comparison']

export const units = ['day', 'week', 'month', 'quarter', 'half', 'year'] as const
export const kinds = ['sum', 'mean', 'min', 'max', 'median', 'first', 'last', 'distinct'] as const
export const kindWords: Record<string, string> = { sum: 'sum', mean: 'mean', min: 'least', max: 'greatest', median: 'median', first: 'first', last: 'last', distinct: 'distinct', count: 'count' }

export const plural = (unit: string) => (unit === 'half' ? 'halves' : unit + 's')

/** sum:fare → sum of fare */
export function figureWords(text: string): string {
  const [kind = 'count', column] = text.split(':')
  return column ? `${kindWords[kind] ?? kind} of ${column.replaceAll('_', ' ')}` : (kindWords[kind] ?? kind)
}

export const wordsOf = (f: FigureInfo) => figureWords(f.column ? `${f.kind}:${f.column}` : f.kind)

export function toFigure(text: string): Figure {
  const [kind = 'count', column] = text.split(':')
  return { kind: kind as Figure['kind'], ...(column ? { column } : {}) }
}

/** plan fare=planned_fare → the records of another dataset */
export function toBeside(text: string): Schemas['Beside'] {
  const [dataset = '', ...pairs] = text.split(' ')
  const columns = Object.fromEntries(pairs.map((p) => p.split('=')).filter((p) => p.length === 2)) as Record<string, string>
  return Object.keys(columns).length > 0 ? { dataset, columns } : { dataset }
}

/** The columns of figures that are shown where nothing is said. */
export function usualFigures(dataset: Dataset): string[] {
  const amounts = dataset.columns.filter((c) => c.role === 'amount')
  const money = amounts[amounts.length - 1]
  return money ? ['count', 'sum:' + money.name] : ['count']
}

export const resetsOf = (each: string): string[] => (each === '' ? [] : [...units.slice(units.indexOf(each as (typeof units)[number]) + 1), 'span'])

/** Reads the question from the address. */
export function asked(dataset: Dataset) {
  const oneOf = (name: string, list: readonly string[]) => (list.includes(param(name) ?? '') ? (param(name) ?? '') : '')
  const categories = dataset.columns.filter((c) => c.role === 'category').map((c) => c.name)
  const each = oneOf('each', units)
  const across = oneOf('across', categories)
  const stated = params('by').filter((c) => categories.includes(c))
  const by = across === '' || stated.includes(across) ? stated : [...stated.slice(-1), across]
  const rolling = each === '' ? 0 : Number(param('rolling') ?? 0)
  const share = oneOf('share', ['span', 'unit'])
  return {
    over: params('over').length > 0 ? params('over') : ['last full month'],
    figures: params('figure').length > 0 ? params('figure') : usualFigures(dataset),
    by,
    across: across !== '' && (each !== '' || by.length === 2) ? across : '',
    where: params('where'),
    against: params('against'),
    beside: params('beside'),
    even: param('even') === 'yes',
    planned: param('planned') === 'yes',
    each,
    running: oneOf('running', resetsOf(each)),
    rolling: rolling > 1 ? rolling : 0,
    blankIncomplete: param('blank_incomplete') === 'yes',
    previous: each !== '' && param('previous') === 'yes',
    share: share === 'unit' && each === '' ? '' : share,
    top: by.length > 0 ? Number(param('top') ?? 0) : 0,
    date: param('date') ?? '',
  }
}

export type Asked = ReturnType<typeof asked>

/** The question as the service takes it, but for the as-of day. */
export function toRequest(q: Asked): Omit<TotalRequest, 'as_of' | 'at_close' | 'calendar'> {
  return {
    over: q.over,
    figures: q.figures.map(toFigure),
    by: q.by,
    where: toFilters(q.where),
    against: q.against,
    beside: q.beside.map(toBeside),
    even: q.even,
    planned: q.planned,
    edges: q.across !== '',
    blank_incomplete: q.blankIncomplete,
    previous: q.previous,
    ...(q.top > 0 ? { top: q.top } : {}),
    ...(q.date ? { date: q.date } : {}),
    ...(q.share ? { share: q.share as 'span' | 'unit' } : {}),
    ...(q.each ? { each: q.each as NonNullable<TotalRequest['each']> } : {}),
    ...(q.running ? { running: q.running as NonNullable<TotalRequest['running']> } : {}),
    ...(q.rolling ? { rolling: q.rolling } : {}),
  }
}

// A figure by itself, beside a counterpart, running and so on: the columns of a table of totals.

export type Role = 'amount' | 'change' | 'share'

export interface FigureColumn {
  name: string // as in CSV
  head: string
  role: Role
  figure: FigureInfo
  at: number // of the figure
  own: boolean // the figure by itself
  value: (r: TotalRow) => string | null
  comparison?: (r: TotalRow) => Comparison | undefined
}

export function figureColumns(total: Schemas['Total'], q: { running: string; rolling: number }): FigureColumn[] {
  const counterparts = total.spans[0]?.counterparts ?? []
  const like = total.spans.find((s) => s.rows.length > 0)?.rows[0]
  return total.figures.flatMap((figure, at) => {
    const column = (suffix: string, head: string, role: Role, value: FigureColumn['value'], comparison?: FigureColumn['comparison']): FigureColumn => ({
      name: figure.name + suffix,
      head,
      role,
      figure,
      at,
      own: suffix === '',
      value,
      ...(comparison ? { comparison } : {}),
    })
    const compared = (names: [string, string, string], head: string, of: (r: TotalRow) => Comparison | undefined) => [
      column(names[0], head, 'amount', (r) => of(r)?.against ?? null),
      column(names[1], 'difference', 'amount', (r) => of(r)?.difference ?? null),
      column(names[2], 'change', 'change', (r) => of(r)?.change ?? null, of),
    ]
    return [
      column('', wordsOf(figure), 'amount', (r) => r.values[at] ?? null),
      ...counterparts.flatMap((c, i) => {
        const n = i > 0 ? '_' + (i + 1) : ''
        return compared(['_against' + n, '_difference' + n, '_change' + n], c.against, (r) => r.against?.[i]?.[at])
      }),
      ...(like?.previous ? compared(['_previous', '_previous_difference', '_previous_change'], 'unit before', (r) => r.previous?.[at]) : []),
      ...(like?.share ? [column('_share', 'share', 'share', (r) => r.share?.[at] ?? null)] : []),
      ...(like?.running ? [column('_running', `running by ${q.running}`, 'amount', (r) => r.running?.[at] ?? null)] : []),
      ...(like?.rolling ? [column('_rolling', `rolling ${q.rolling}`, 'amount', (r) => r.rolling?.[at] ?? null)] : []),
    ]
  })
}

/** A figure with as many decimals as its amount is shown with; digits are cut off a mean alone. */
export function shownDigits(v: string | null | undefined, f: FigureInfo): string {
  if (v === null || v === undefined || f.decimals === undefined || f.kind === 'distinct') return grouped(v)
  if (f.kind === 'mean') return rounded(v, f.decimals + 2)
  const [whole = '', fraction = ''] = v.split('.')
  const kept = fraction.replace(/0+$/, '').padEnd(f.decimals, '0')
  return grouped(kept ? `${whole}.${kept}` : whole)
}

/** A change as a percentage with an arrow; n/a where it is undefined. */
export function shownChange(c: Comparison | undefined): string {
  if (!c || c.change === null) return 'n/a'
  const percent = Math.abs(Number(c.change) * 100).toFixed(1)
  return c.direction === 'up' ? `▲ ${percent}%` : c.direction === 'down' ? `▼ ${percent}%` : '= level'
}

/** Whether a change is good, bad or neither, by the amount. */
export function changeTone(c: Comparison | undefined, f: FigureInfo): string {
  if (!c || c.change === null || f.better === 'neither' || (c.direction !== 'up' && c.direction !== 'down')) return ''
  return c.direction === f.better ? 'text-inside' : 'text-worse'
}

export const shownShare = (v: string | null): string => (v === null ? '–' : `${(Number(v) * 100).toFixed(1)}%`)

export const marks = (u: Schemas['RowUnit'] | undefined): string =>
  [u?.partial && 'partial', u?.in_progress && 'in progress', u?.ahead && 'ahead', u?.incomplete && 'incomplete', u?.uneven && 'uneven'].filter(Boolean).join(', ')

/** The label of one category of a row. */
export function groupLabel(total: Schemas['Total'], r: TotalRow, i: number): string {
  if (r.all?.[i]) return 'all'
  if (i === 0 && r.rest) return `the other ${total.folded ?? ''}`.trim()
  return r.group[i] ?? '(blank)'
}
