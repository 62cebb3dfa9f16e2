import { CalendarDate, parseDate } from '@internationalized/date'
import type { Interval } from '../api/client'

// Days as ISO text, and as numbers of days since 1970-01-01 for drawing. Nothing here reads a clock.

const DAY = 86_400_000
const epoch = new CalendarDate(1970, 1, 1)

export const weekdays = ['Sun', 'Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat'] as const
export const months = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'] as const

const utc = (d: CalendarDate) => d.toDate('UTC')

export const toNumber = (iso: string): number => Math.round(utc(parseDate(iso)).getTime() / DAY)
export const toISO = (day: number): string => epoch.add({ days: day }).toString()

export function isDay(text: string): boolean {
  try {
    return parseDate(text).toString() === text
  } catch {
    return false
  }
}

export function parts(iso: string): { year: number; month: number; day: number; weekday: string; monthName: string } {
  const d = parseDate(iso)
  const weekday = weekdays[utc(d).getUTCDay()] ?? ''
  return { year: d.year, month: d.month, day: d.day, weekday, monthName: months[d.month - 1] ?? '' }
}

/** Moves a day by days, and by months with the day of the month clamped to the target's length. */
export const step = (iso: string, days: number, byMonths = 0): string =>
  parseDate(iso).add({ months: byMonths }).add({ days }).toString()

/** Mon 19 Oct 2026 */
export function long(iso: string): string {
  const p = parts(iso)
  return `${p.weekday} ${p.day} ${p.monthName} ${p.year}`
}

/** 19 Oct */
export function short(iso: string): string {
  const p = parts(iso)
  return `${p.day} ${p.monthName}`
}

/** 1 Oct – 18 Oct 2026; the year is written once where both days share it. */
export function range(v: Interval): string {
  if (v.first_day === null && v.last_day === null) return 'all dates'
  if (v.first_day === null) return `through ${short(v.last_day ?? '')} ${parts(v.last_day ?? '').year}`
  const first = parts(v.first_day)
  if (v.last_day === null) return `from ${short(v.first_day)} ${first.year} onward`
  const last = parts(v.last_day)
  if (v.first_day === v.last_day) return `${short(v.first_day)} ${first.year}`
  if (first.year === last.year) return `${short(v.first_day)} – ${short(v.last_day)} ${last.year}`
  return `${short(v.first_day)} ${first.year} – ${short(v.last_day)} ${last.year}`
}

/** From the first day of a list of intervals to the last. */
export function outer(list: Interval[]): string {
  const first = list[0]
  const last = list[list.length - 1]
  return first && last ? range({ first_day: first.first_day, last_day: last.last_day }) : 'no days'
}

/** The outer days of a list of intervals, and how many intervals there are when more than one. */
export function ranges(list: Interval[]): string {
  return list.length > 1 ? `${outer(list)}, ${list.length} intervals` : outer(list)
}

/** How many days intervals hold; null where a side is open. */
export function totalDays(list: Interval[]): number | null {
  let total = 0
  for (const v of list) {
    if (v.first_day === null || v.last_day === null) return null
    total += toNumber(v.last_day) - toNumber(v.first_day) + 1
  }
  return total
}
