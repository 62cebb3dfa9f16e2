import type { TableColumn } from '../api/client'

// Numbers come as exact decimals in text; Intl.NumberFormat takes them as they are, so that no digit is
// lost on the way to the page.

type Decimal = Intl.StringNumericLiteral
const none = '–'

function format(value: string, options: Intl.NumberFormatOptions): string {
  return new Intl.NumberFormat('en', { roundingMode: 'halfEven', ...options })
    .format(value as Decimal)
    .replace('-', '−')
}

const digits = (value: string) => value.split('.')[1]?.length ?? 0

/** 48216.4 → 48,216.4, with every digit; blank is a dash. */
export function formatNumber(value: string | null | undefined): string {
  if (!value) return none
  return format(value, { minimumFractionDigits: digits(value), maximumFractionDigits: 100 })
}

/** 14.25342 → 14.25 with two decimals. */
export const formatRounded = (value: string, decimals: number): string =>
  format(value, { minimumFractionDigits: decimals, maximumFractionDigits: decimals })

/** A fraction as a percentage; one that is too small for its decimals is shown to be smaller, and not as zero. */
export function formatPercent(value: string, decimals = 1): string {
  const text = format(value, { style: 'percent', minimumFractionDigits: decimals, maximumFractionDigits: decimals })
  return isLost(value, text) ? `${smallest(value, decimals)}%` : text
}

/** Whether a number that is not zero is written as zero. */
const isLost = (value: string, text: string) => sign(value) !== 0 && !/[1-9]/.test(text)

/** A number that is too small for its decimals: <0.01. */
const smallest = (value: string, decimals: number) =>
  `${sign(value) < 0 ? '−' : ''}<${(0).toFixed(decimals).replace(/0$/, '1')}`

/** Whether a number is above, below or at zero. */
export function sign(value: string): number {
  if (!/[1-9]/.test(value)) return 0
  return value.startsWith('-') ? -1 : 1
}

/** A change as a percentage with an arrow; n/a where it is undefined. */
export function formatChange(value: string | null | undefined, decimals = 1): string {
  if (value === null || value === undefined) return 'n/a'
  switch (sign(value)) {
    case 1:
      return `▲ ${formatPercent(value, decimals)}`
    case -1:
      return `▼ ${formatPercent(value.slice(1), decimals)}`
    default:
      return 'unchanged'
  }
}

/** A cell as its column shows it: no digit is dropped unless the column is rounded. */
export function formatCell(c: TableColumn, value: string | null | undefined): string {
  if (c.role === 'change') return formatChange(value, c.decimals)
  if (value === null || value === undefined) return none
  if (c.role === 'share') return formatPercent(value, c.decimals)
  const plus = c.role === 'difference' && sign(value) > 0 ? '+' : ''
  if (c.decimals === undefined) return plus + formatNumber(value)
  const text = format(value, { minimumFractionDigits: c.decimals, maximumFractionDigits: c.rounded ? c.decimals : 100 })
  return isLost(value, text) ? smallest(value, c.decimals) : plus + text
}

/** Whether a change is for the better, for the worse or neither. */
export function toneOf(c: TableColumn | undefined, change: string | null | undefined): string {
  if (!c?.better || !change || sign(change) === 0) return ''
  return sign(change) > 0 === (c.better === 'higher') ? 'text-inside' : 'text-worse'
}

export const count = (n: number): string => n.toLocaleString('en')
export const countRecords = (n: number): string => `${count(n)} ${n === 1 ? 'record' : 'records'}`
export const countDays = (n: number): string => `${count(n)} ${n === 1 ? 'day' : 'days'}`
