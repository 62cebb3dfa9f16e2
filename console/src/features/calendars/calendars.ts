import { createQuery } from '@tanstack/svelte-query'
import { api, data, type Schemas } from '../../api/client'
import { all } from '../../api/queries'

export type CalendarSpec = Schemas['CalendarDefinition']
export type HolidayList = Schemas['HolidayListDefinition']

export const useHolidayLists = () =>
  createQuery(() => ({
    queryKey: ['holidays'],
    queryFn: () => all(async (query) => data(await api.GET('/holidays', { params: { query } }))),
  }))

export const weekdayNames = ['monday', 'tuesday', 'wednesday', 'thursday', 'friday', 'saturday', 'sunday'] as const
export const monthNames = [
  'january',
  'february',
  'march',
  'april',
  'may',
  'june',
  'july',
  'august',
  'september',
  'october',
  'november',
  'december',
] as const
export const shortDays = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'] as const

/** A name without what it does not say, as the service takes it. */
export function tidy(c: CalendarSpec): CalendarSpec {
  const kept = Object.entries(c).filter(([, v]) => v !== '' && v !== 0 && v !== undefined && v !== null)
  return Object.fromEntries(kept) as unknown as CalendarSpec
}
