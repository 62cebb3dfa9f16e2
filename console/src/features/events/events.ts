import { createQuery } from '@tanstack/svelte-query'
import { api, data, type Schemas } from '../../api/client'
import { all } from '../../api/queries'
import { range, toNumber } from '../../lib/days'
import { otherColour } from '../../ui/palette'

export type EventList = Schemas['EventListDefinition']

export const useEventLists = () =>
  createQuery(() => ({
    queryKey: ['events'],
    queryFn: () => all(async (query) => data(await api.GET('/events', { params: { query } }))),
  }))

/** One time that an event takes place. */
export interface Occurrence {
  list: string
  label: string
  first: string
  last: string
  colour: string
}

/** The occurrences of a list, in order of time. */
export function occurrencesOf(list: EventList, at: number): Occurrence[] {
  return [...list.days].sort().map((text) => {
    const [first = '', last = first] = text.split('/')
    return { list: list.name, label: list.labels?.[first] ?? '', first, last, colour: otherColour(at) }
  })
}

export const allOccurrences = (lists: Schemas['EventList'][] | undefined): Occurrence[] =>
  (lists ?? []).flatMap((l, at) => occurrencesOf(l.definition, at))

/** The occurrences that have a day from a first one through a last. */
export const between = (list: Occurrence[], first: string, last: string): Occurrence[] =>
  list.filter((o) => o.first <= last && first <= o.last)

/** harbour-festival, 10 Jul – 12 Jul 2026 */
export const words = (o: Occurrence): string =>
  `${o.list}${o.label ? `, ${o.label}` : ''}, ${range({ first_day: o.first, last_day: o.last })}`

/** The names of the events among occurrences, each once. */
export const names = (list: Occurrence[]): string[] => [...new Set(list.map((o) => o.list))]

/** What is to be read of the events in each unit of an axis; null where a unit has none. */
export function marksOf(list: Occurrence[], units: ({ first: string; last: string } | null)[]): (string | null)[] {
  return units.map((u) => {
    const found = u ? between(list, u.first, u.last) : []
    return found.length > 0 ? found.map(words).join('\n') : null
  })
}

/** An occurrence as a list has it. */
export const written = (first: string, last: string): string => (first === last ? first : `${first}/${last}`)

/** Why a new occurrence cannot be in a list with others; null where it can. */
export function clash(list: EventList, first: string, last: string): string | null {
  const near = occurrencesOf(list, 0).find(
    (o) => toNumber(first) <= toNumber(o.last) + 1 && toNumber(o.first) <= toNumber(last) + 1,
  )
  return near ? `it overlaps or touches ${words(near)}: write them as one` : null
}
