import { searchParams } from 'sv-router'
import { isDay } from './days'

// What a page shows is in its address, so that a link reproduces it.

export function param(name: string): string | null {
  return searchParams.toURLSearchParams().get(name)
}

// A list is one parameter, its parts joined by semicolons: no expression has one, and in other
// values it is escaped.
const escaped = (part: string) => part.replaceAll('%', '%25').replaceAll(';', '%3B')

export function joinList(parts: string[]): string {
  return parts.map(escaped).join(';')
}

export function params(name: string): string[] {
  const text = param(name)
  return text === null || text === '' ? [] : text.split(';').map(decodeURIComponent)
}

/** Sets a parameter to a value, a list or none. replace leaves no entry in the history. */
export function setParam(name: string, value: string | string[] | null, replace = false): void {
  const text = Array.isArray(value) ? (value.length > 0 ? joinList(value) : null) : value
  if (text === param(name)) return
  if (text === null) searchParams.delete(name, undefined, { replace })
  else searchParams.set(name, text, { replace })
}

/** Puts another expression where a pointer into the request says: /over, /over/1, /against/0. */
export function mendParam(pointer: string, expression: string): void {
  const [, name = '', at] = pointer.split('/')
  if (at === undefined) {
    setParam(name, expression)
    return
  }
  const list = params(name)
  list[Number(at)] = expression
  setParam(name, list)
}

// While the as-of day is being moved, by dragging or by keys held down, it runs ahead of the address,
// which follows once it rests: browsers do not let an address change at every step.
let moving = $state<string | null>(null)
let resting: ReturnType<typeof setTimeout> | undefined
const rest = 250

export function moveAsOf(day: string): void {
  moving = day
  clearTimeout(resting)
  resting = setTimeout(settleAsOf, rest)
}

function settleAsOf(): void {
  if (moving === null) return
  setParam('as_of', moving)
  moving = null
}

export function setAsOf(stated: string): void {
  clearTimeout(resting)
  moving = null
  setParam('as_of', stated)
}

/** How the address states the as-of day; latest where it says nothing. */
export function settledAsOf(): string {
  const value = param('as_of')
  return value === 'today' || (value !== null && isDay(value)) ? value : 'latest'
}

/** The as-of day as it is stated now, on its way or at rest. */
export function statedAsOf(): string {
  return moving ?? settledAsOf()
}

/** The time of the as-of day where there is one, such as 14:30. */
export function asOfTime(): string | null {
  const value = param('time')
  return value !== null && /^([01]\d|2[0-3]):[0-5]\d$/.test(value) ? value : null
}

export function atClose(): boolean {
  return param('at_close') === 'yes'
}

/** The state of the records that is asked, such as load 12; empty is the newest. */
export function asKnown(): string {
  return param('known') ?? ''
}

/** That state as a part of a question about records. */
export const knownState = (): { known?: string } => (asKnown() === '' ? {} : { known: asKnown() })

export function calendar(): string {
  return param('calendar') ?? 'civil'
}

/** The part of the address that goes along from page to page. */
export function carried(): string {
  const kept = new URLSearchParams()
  for (const name of ['as_of', 'time', 'at_close', 'known', 'calendar']) {
    const value = param(name)
    if (value !== null) kept.set(name, value)
  }
  const text = kept.toString()
  return text ? '?' + text : ''
}
