import { createQuery, keepPreviousData, QueryClient } from '@tanstack/svelte-query'
import { api, data, type Dataset } from './api'
import { atClose, calendar, param, statedAsOf } from './state.svelte'

export const queryClient = new QueryClient({ defaultOptions: { queries: { staleTime: 30_000, retry: 1, refetchOnWindowFocus: false } } })

export const useStatus = () => createQuery(() => ({ queryKey: ['status'], queryFn: async () => data(await api.GET('/status')) }))
export const useSpans = () => createQuery(() => ({ queryKey: ['spans'], queryFn: async () => data(await api.GET('/spans')) }))
export const useCalendars = () => createQuery(() => ({ queryKey: ['calendars'], queryFn: async () => data(await api.GET('/calendars')) }))
export const useDatasets = () => createQuery(() => ({ queryKey: ['datasets'], queryFn: async () => data(await api.GET('/datasets')) }))

export interface Reading {
  as_of: string
  at_close: boolean
  calendar: string
}

/** Resolves expressions; while a new day is on its way, the days of the one before stay. */
export const useResolve = (expressions: () => string[], reading: () => Reading | null, explain = false) =>
  createQuery(() => {
    const list = expressions()
    const r = reading()
    return {
      queryKey: ['resolve', list, r, explain],
      queryFn: async () => data(await api.POST('/resolve', { body: { expressions: list, ...(r as Reading), explain } })),
      enabled: r !== null && list.length > 0,
      placeholderData: keepPreviousData,
    }
  })

/** The as-of day as the address states it, found out; null until the service has answered. */
export function useAsOf() {
  const datasets = useDatasets()
  const status = useStatus()
  const basis = () => currentDataset(datasets.data)
  return {
    get basisDataset() {
      return basis()
    },
    get latest() {
      return basis()?.last_day ?? null
    },
    get today() {
      return status.data?.today ?? null
    },
    get day(): string | null {
      const stated = statedAsOf()
      if (stated === 'today') return this.today
      if (stated === 'latest') {
        if (datasets.isPending) return null
        return this.latest ?? this.today
      }
      return stated
    },
    get reading(): Reading | null {
      const day = this.day
      return day === null ? null : { as_of: day, at_close: atClose(), calendar: calendar() }
    },
  }
}

/** The page's dataset, else the first one there is: latest is its newest day. */
export function currentDataset(list: Dataset[] | undefined): Dataset | undefined {
  return list?.find((d) => d.name === param('dataset')) ?? list?.[0]
}

export type AsOfState = ReturnType<typeof useAsOf>
