import type { Interval, Schemas } from '../api/client'
import { parts, ranges, short, toNumber, totalDays } from './days'

// Moments as the service writes them, with the offset of its clock (RFC 3339). Nothing here knows a zone.

type MomentRun = Schemas['MomentRun']

/** What a span denotes: days, or moments. */
export interface Extent {
  intervals: Interval[]
  moments?: MomentRun[]
}

const shown = /^(\d{4}-\d\d-\d\d)T(\d\d:\d\d)(:\d\d(?:\.\d+)?)?([+-]\d\d:\d\d)$/

/** 26 Nov 2026 22:00 +00:00 */
export function moment(text: string): string {
  const [, date = '', time = '', rest = '', offset = ''] = shown.exec(text) ?? []
  if (date === '') return text
  return `${short(date)} ${parts(date).year} ${time}${rest.startsWith(':00') && rest.length === 3 ? '' : rest} ${offset}`
}

/** The first and the last moment, and how many runs there are when more than one. */
function runs(list: MomentRun[]): string {
  const first = list[0]
  const last = list[list.length - 1]
  if (!first || !last) return 'no moments'
  const side = (text: string | null) => (text === null ? '…' : moment(text))
  const text = `${side(first.start)} – ${side(last.end)}`
  return list.length > 1 ? `${text}, ${list.length} periods` : text
}

/** The outer days or moments, and how many stretches there are when more than one. */
export const extent = (e: Extent): string => (e.moments ? runs(e.moments) : ranges(e.intervals))

/** 24:00, hours and minutes; seconds where there are any. */
export function lengthOf(seconds: number): string {
  const two = (n: number) => String(n).padStart(2, '0')
  const text = `${Math.floor(seconds / 3600).toLocaleString('en')}:${two(Math.floor(seconds / 60) % 60)}`
  return seconds % 60 === 0 ? text : `${text}:${two(Math.round(seconds % 60))}`
}

/** How long it is: 30 days, 24:00 hours; empty where a side is open. */
export function size(e: Extent): string {
  if (!e.moments) {
    const days = totalDays(e.intervals)
    return days === null ? '' : `${days.toLocaleString('en')} ${days === 1 ? 'day' : 'days'}`
  }
  let seconds = 0
  for (const v of e.moments) {
    if (v.start === null || v.end === null) return ''
    seconds += (Date.parse(v.end) - Date.parse(v.start)) / 1000
  }
  return `${lengthOf(seconds)} hours`
}

/** A run of moments as expressions take it: what the clock shows, without its offset. */
export const wallTimes = (v: MomentRun): string => {
  const side = (text: string | null) => (text ?? '').replace(/(:00)?(?:[+-]\d\d:\d\d|Z)$/, '')
  if (v.start === null) return `until ${side(v.end)}`
  if (v.end === null) return `from ${side(v.start)} onward`
  return `${side(v.start)}/${side(v.end)}`
}

/** A run of moments on the line of days as the clock shows it: 0.5 is noon; an open side lies far off. */
export function wallDays(v: MomentRun): { start: number; end: number } {
  const side = (text: string | null, open: number) => {
    const [, date = '', time = ''] = (text && shown.exec(text)) || []
    if (date === '') return open
    const [h = 0, m = 0] = time.split(':').map(Number)
    return toNumber(date) + (h * 60 + m) / 1440
  }
  return { start: side(v.start, -Infinity), end: side(v.end, Infinity) }
}

/** The first and the last moment without year and offset, where there is little room: 18 Oct 22:00 – 19 Oct 06:00. */
export function outerTimes(list: MomentRun[]): string {
  const side = (text: string | null | undefined) => {
    const [, date = '', time = ''] = (text && shown.exec(text)) || []
    return date === '' ? '…' : `${short(date)} ${time}`
  }
  return list.length === 0 ? 'no moments' : `${side(list[0]?.start)} – ${side(list[list.length - 1]?.end)}`
}
