import type { Schemas } from '../../api/client'
import { carried, joinList, param, params } from '../../lib/address.svelte'
import { isValue } from '../../lib/filters'
import { formatPercent, formatRounded, sign } from '../../lib/numbers'
import { isOther, labelText } from '../../lib/query'

export type Drivers = Schemas['Drivers']
export type Effect = Schemas['DriverEffect']

export const partOf = (d: Drivers, part: Effect['part']): Effect | undefined => d.effects.find((e) => e.part === part)
export const ofColumn = (d: Drivers, column: string): Effect[] =>
  d.effects.filter((e) => e.part === 'category' && e.column === column)

/** How many decimals effects are shown with: those of the change, at most four. */
export const decimalsOf = (d: Drivers): number => Math.min(4, partOf(d, 'total')?.difference.split('.')[1]?.length ?? 0)

export const shown = (value: string | undefined, decimals: number): string =>
  value ? formatRounded(value, decimals) : '–'
export const signed = (value: string, decimals: number): string =>
  (sign(value) > 0 ? '+' : '') + formatRounded(value, decimals)
/** A contribution in points of a percent: 0.025 → +2.5 pts. */
export function points(share: string | undefined): string {
  if (!share) return 'n/a'
  const text = formatPercent(share).replace('%', ' pts')
  return sign(share) > 0 && !text.startsWith('<') ? '+' + text : text
}

export const nameOf = (e: Effect): string => labelText(e.value)

const keys = ['dataset', 'over', 'figures', 'against', 'date', 'like_for_like'] as const

/** The address of a page with this question, where the values of a column are fixed. */
function withWhere(names: readonly string[], where: string[]): URLSearchParams {
  const link = new URLSearchParams(carried())
  for (const name of names) {
    const value = param(name)
    if (value !== null) link.set(name, value)
  }
  if (where.length > 0) link.set('where', joinList(where))
  return link
}

/** The drivers of one value by the other columns; null for several values put together. */
export function deeper(e: Effect): string | null {
  if (e.column === undefined || isOther(e.value)) return null
  const link = withWhere(keys, [...params('where'), isValue(e.column, (e.value ?? null) as string | null)])
  return '/drivers?' + link.toString()
}

/** The records of one side of an effect; null for several values put together. */
export function recordsOf(d: Drivers, e: Effect, side: 'own' | 'other'): string | null {
  if (isOther(e.value)) return null
  const where = [...params('where')]
  if (e.column !== undefined) where.push(isValue(e.column, (e.value ?? null) as string | null))
  const link = withWhere(['date'], where)
  link.set('dataset', d.dataset)
  const runs = (side === 'own' ? d.span : d.span.comparisons?.[0])?.intervals ?? []
  const days = runs.map((v) => `${v.first_day}/${v.last_day}`)
  if (days.length === 0) return null
  link.set('over', side === 'own' ? d.span.expression : days.length > 1 ? `(${days.join(' or ')})` : days[0]!)
  return '/records?' + link.toString()
}
