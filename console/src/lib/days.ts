// Days as ISO text, and as numbers of days since 1970-01-01 for drawing. Nothing here reads a clock.

const DAY = 86_400_000

export const weekdays = ['Sun', 'Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat'] as const
export const months = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'] as const

export function toNumber(iso: string): number {
  return Math.round(Date.parse(iso + 'T00:00:00Z') / DAY)
}

export function toISO(day: number): string {
  return new Date(day * DAY).toISOString().slice(0, 10)
}

export function isDay(text: string): boolean {
  return /^\d{4}-\d{2}-\d{2}$/.test(text) && !Number.isNaN(Date.parse(text + 'T00:00:00Z')) && toISO(toNumber(text)) === text
}

export function parts(iso: string): { year: number; month: number; day: number; weekday: string; monthName: string } {
  const d = new Date(iso + 'T00:00:00Z')
  const month = d.getUTCMonth()
  return { year: d.getUTCFullYear(), month: month + 1, day: d.getUTCDate(), weekday: weekdays[d.getUTCDay()] ?? '', monthName: months[month] ?? '' }
}

/** Moves a day by days, and by months with the day of the month clamped to the target's length. */
export function step(iso: string, days: number, byMonths = 0): string {
  const p = parts(iso)
  let base = iso
  if (byMonths !== 0) {
    const first = new Date(Date.UTC(p.year, p.month - 1 + byMonths, 1))
    const length = new Date(Date.UTC(first.getUTCFullYear(), first.getUTCMonth() + 1, 0)).getUTCDate()
    first.setUTCDate(Math.min(p.day, length))
    base = first.toISOString().slice(0, 10)
  }
  return toISO(toNumber(base) + days)
}

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

export interface Interval {
  first: string | null
  last: string | null
}

/** 1 Oct – 18 Oct 2026; the year is written once where both days share it. */
export function range(v: Interval): string {
  if (v.first === null && v.last === null) return 'all dates'
  if (v.first === null) return `through ${short(v.last ?? '')} ${parts(v.last ?? '').year}`
  const first = parts(v.first)
  if (v.last === null) return `from ${short(v.first)} ${first.year} onward`
  const last = parts(v.last)
  if (v.first === v.last) return `${short(v.first)} ${first.year}`
  if (first.year === last.year) return `${short(v.first)} – ${short(v.last)} ${last.year}`
  return `${short(v.first)} ${first.year} – ${short(v.last)} ${last.year}`
}

/** From the first day of a list of intervals to the last. */
export function outer(list: Interval[]): string {
  const first = list[0]
  const last = list[list.length - 1]
  return first && last ? range({ first: first.first, last: last.last }) : 'no days'
}

/** The outer days of a list of intervals, and how many intervals there are when more than one. */
export function ranges(list: Interval[]): string {
  return list.length > 1 ? `${outer(list)}, ${list.length} stretches` : outer(list)
}

/** 48216.4 → 48,216.4; blank stays a dash. */
export function grouped(value: string | null | undefined): string {
  if (value === null || value === undefined || value === '') return '–'
  const [whole = '', fraction] = value.replace('-', '').split('.')
  const text = whole.replace(/\B(?=(\d{3})+(?!\d))/g, ',') + (fraction ? '.' + fraction : '')
  return (value.startsWith('-') ? '−' : '') + text
}

/** A decimal as text, rounded to a number of decimals for reading. */
export function rounded(value: string | null | undefined, decimals: number): string {
  if (!value) return grouped(value)
  const fraction = value.split('.')[1] ?? ''
  if (fraction.length <= decimals) return grouped(value)
  return grouped(Number(value).toFixed(decimals))
}
