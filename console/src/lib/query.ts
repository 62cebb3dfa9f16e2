import type { Answer, Column, Dataset, Label, Query, Row, Table } from '../api/client'
import { param, params, setParam } from './address.svelte'

// What a page asks, as its address says it: the keys are those of a query everywhere. A list is one
// parameter, its parts joined by semicolons; what is on is yes.

export const units = ['day', 'week', 'month', 'quarter', 'half', 'year'] as const

/** The units of a query: hours, too, where its records have times. */
export const unitsOf = (timed: boolean): readonly string[] => (timed ? ['hour', ...units] : units)

export const pluralOf = (unit: string) => (unit === 'half' ? 'halves' : unit + 's')
export const wordsOf = (name: string) => name.replaceAll('_', ' ')

/** The figures that are shown where nothing is said. */
export function defaultFigures(dataset: Dataset): string[] {
  const amount = dataset.columns.findLast((c) => c.role === 'amount')
  return amount ? ['count', 'sum ' + amount.name] : ['count']
}

export const resetsOf = (each: string): string[] =>
  each === '' ? [] : [...units.slice(units.indexOf(each as (typeof units)[number]) + 1), 'span']

/** Whether a query goes by a column of times; a date that is left out is the dataset's own. */
export const isTimed = (dataset: Dataset, date: string): boolean =>
  dataset.columns.some((c) => c.type === 'timestamp' && (date === '' ? c.role === 'day' : c.name === date))

/** The parts of time that records can be broken down by, as queries name them. */
export const timeParts = (timed: boolean): string[] => [
  'weekday',
  ...(timed ? ['hour'] : []),
  'year',
  'month of year',
  'quarter of year',
  'week of year',
  'day of month',
]
const partForm = /^(hour|weekday|year|(day|week|month|quarter|half) of (week|month|quarter|half|year))( of .+)?$/
export const isPart = (name: string): boolean => partForm.test(name)

/** The columns that can be summed: the amounts, then any other numbers. */
export const numbersOf = (dataset: Dataset): Column[] => {
  const numbers = dataset.columns.filter((c) => c.type === 'number' && c.role !== 'day')
  return [...numbers.filter((c) => c.role === 'amount'), ...numbers.filter((c) => c.role !== 'amount')]
}

/** The columns that records can be broken down by and that are no categories: numbers and texts of any role. */
export const otherCategoriesOf = (dataset: Dataset): Column[] =>
  dataset.columns.filter((c) => (c.type === 'number' || c.type === 'text') && c.role !== 'category' && c.role !== 'day')

export const columnsOf = (dataset: Dataset, role: Column['role']): Column[] =>
  dataset.columns.filter((c) => c.role === role)
export const datesOf = (dataset: Dataset): Column[] =>
  dataset.columns.filter((c) => c.type === 'date' || c.type === 'timestamp')

/** Reads the query from the address; what does not fit the dataset is left out. */
export function parseQuery(dataset: Dataset) {
  const oneOf = (name: string, list: readonly string[]) => (list.includes(param(name) ?? '') ? (param(name) ?? '') : '')
  const categories = [...columnsOf(dataset, 'category'), ...otherCategoriesOf(dataset)].map((c) => c.name)
  const date = param('date') ?? ''
  const each = oneOf('each', unitsOf(isTimed(dataset, date)))
  const stated = params('by').filter((c) => categories.includes(c) || isPart(c))
  const across = oneOf('across', [...categories, ...stated])
  const by = across === '' || stated.includes(across) ? stated : [...stated.slice(-1), across]
  const rolling = each === '' ? 0 : Number(param('rolling') ?? 0)
  const share = oneOf('share', ['span', 'unit'])
  return {
    over: params('over').length > 0 ? params('over') : ['last full month'],
    figures: params('figures').length > 0 ? params('figures') : defaultFigures(dataset),
    by,
    across: across !== '' && (each !== '' || by.length === 2) ? across : '',
    top: by.length > 0 ? Number(param('top') ?? 0) : 0,
    where: params('where'),
    date,
    against: params('against'),
    against_dataset: params('against_dataset'),
    like_for_like: isOn('like_for_like'),
    each,
    align: each === 'day' ? (param('align') ?? '') : '',
    running: oneOf('running', resetsOf(each)),
    rolling: rolling > 1 ? rolling : 0,
    blank_incomplete: isOn('blank_incomplete'),
    previous: each !== '' && isOn('previous'),
    share: share === 'unit' && each === '' ? '' : share,
    planned: isOn('planned'),
  }
}

export type PageQuery = ReturnType<typeof parseQuery>

export const isOn = (name: string): boolean => param(name) === 'yes'
export const toggle = (name: string): void => setParam(name, isOn(name) ? null : 'yes')

/** A cross-tab of parts of time, such as hours by weekdays: it is drawn in shades. */
export const crossedByTime = (t: Table): boolean =>
  t.across !== undefined && isPart(t.across) && t.by.every(isPart) && !t.each

/** A query without what it does not say. */
export function compact<T extends object>(q: T): Partial<T> {
  const says = (v: unknown) => Boolean(v) && !(Array.isArray(v) && v.length === 0)
  return Object.fromEntries(Object.entries(q).filter(([, v]) => says(v))) as Partial<T>
}

/** The query of a page as the service takes it. */
export const toQuery = (dataset: string, q: PageQuery): Query => compact({ dataset, ...q }) as Query

/** A value of a category as it is shown. */
export function labelText(label: Label | undefined, answer?: Pick<Answer, 'others'>): string {
  if (label === null || label === undefined) return '(blank)'
  if (typeof label === 'string') return label
  if (label.all) return 'all'
  return answer?.others ? `the other ${answer.others}` : 'the others'
}

export const isOther = (label: Label | undefined): boolean =>
  typeof label === 'object' && label !== null && label.other === true
export const isAll = (label: Label | undefined): boolean =>
  typeof label === 'object' && label !== null && label.all === true

/** The rows of one span but for its totals. */
export const groupRows = (t: Table | undefined, span = 0): Row[] =>
  t?.rows.filter((r) => r.span === span && r.kind === 'group') ?? []
/** The row of a whole span: its total, or the only row where nothing is broken down. */
export const wholeRow = (t: Table | undefined, span = 0): Row | undefined => t?.rows.findLast((r) => r.span === span)

/** closed-month of @closed-month; other expressions as they are. */
export const spanName = (expression: string): string => expression.replace(/^@/, '')

/** The cell of a row in the first column that fits. */
export function cellAt(t: Table | undefined, row: Row | undefined, fits: (c: Table['columns'][number]) => boolean) {
  const at = t?.columns.findIndex(fits) ?? -1
  return at < 0 ? undefined : (row?.cells[at] ?? null)
}

export const isUnfinished = (row: Row): boolean =>
  row.flags?.some((f) => f === 'partial' || f === 'in progress') ?? false
export const isFuture = (row: Row | undefined): boolean => row?.flags?.includes('future') ?? false
