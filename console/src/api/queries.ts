import { createQuery, keepPreviousData, QueryClient } from '@tanstack/svelte-query'
import { asOfTime, atClose, calendar, param, settledAsOf, statedAsOf } from '../lib/address.svelte'
import { parseFigure, writeFigure, type Figure } from '../lib/figures'
import { wordsOf } from '../lib/query'
import { toISO, toNumber } from '../lib/days'
import { api, data, RefusedError, type Column, type Dataset, type Interval, type Schemas } from './client'
import { route } from '../router'

export const queryClient = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 30_000,
      // What was refused is refused again.
      retry: (failures, e) => failures < 1 && !(e instanceof RefusedError),
      refetchOnWindowFocus: false,
      networkMode: 'always', // offline is said, not waited out
    },
    mutations: { networkMode: 'always' },
  },
})

interface Page<T> {
  items: T[]
  next?: string | undefined
}

/** A list as a whole: each page of it is asked for, to the last. */
export async function all<T>(get: (query: { limit: number; after?: string }) => Promise<Page<T>>): Promise<T[]> {
  const list: T[] = []
  let after: string | undefined
  do {
    const page = await get({ limit: 1000, ...(after ? { after } : {}) })
    list.push(...page.items)
    after = page.next
  } while (after)
  return list
}

export const useStatus = () =>
  createQuery(() => ({ queryKey: ['status'], queryFn: async () => data(await api.GET('/status')) }))
export const useSpans = () =>
  createQuery(() => ({
    queryKey: ['spans'],
    queryFn: () => all(async (query) => data(await api.GET('/spans', { params: { query } }))),
  }))
export const useCalendars = () =>
  createQuery(() => ({
    queryKey: ['calendars'],
    queryFn: () => all(async (query) => data(await api.GET('/calendars', { params: { query } }))),
  }))
export const useDatasets = () =>
  createQuery(() => ({
    queryKey: ['datasets'],
    queryFn: () => all(async (query) => data(await api.GET('/datasets', { params: { query } }))),
  }))
/** The databases in which tables may be attached, for those who may know them. */
export const useDatabases = (mayKnow: () => boolean) =>
  createQuery(() => ({
    queryKey: ['databases'],
    queryFn: async () => data(await api.GET('/databases')).items,
    enabled: mayKnow(),
  }))

export interface Context {
  as_of: string
  at_close: boolean
  calendar: string
}

/** Resolves expressions; while a new day is on its way, the days of the one before stay. */
export const useResolve = (expressions: () => string[], context: () => Context | null, explain = false) =>
  createQuery(() => {
    const list = expressions()
    const r = context()
    return {
      queryKey: ['resolve', list, r, explain],
      queryFn: async () =>
        data(await api.POST('/resolve', { body: { expressions: list, ...(r as Context), explain } })),
      enabled: r !== null && list.length > 0,
      placeholderData: keepPreviousData,
    }
  })

/** The as-of day, found out; null until the service has answered. */
export function useAsOf() {
  const datasets = useDatasets()
  const status = useStatus()
  const basis = () =>
    ofOneDataset.includes(route.pathname)
      ? currentDataset(datasets.data)
      : newestDataset(datasets.data, status.data?.today)
  const find = (stated: string): string | null => {
    if (stated === 'today') return status.data?.today ?? null
    if (stated !== 'latest') return stated
    return datasets.isPending ? null : (basis()?.newest ?? status.data?.today ?? null)
  }
  const read = (day: string | null): Context | null =>
    day === null ? null : { as_of: day, at_close: atClose(), calendar: calendar() }
  return {
    get basisDataset() {
      return basis()
    },
    /** The day as it is now, also while it is being moved. */
    get day() {
      return find(statedAsOf())
    },
    /** What expressions of moments are read against, too: with the time, where there is one. */
    get moment() {
      const day = read(find(settledAsOf()))
      const time = asOfTime()
      return day === null || time === null ? day : { ...day, as_of: `${day.as_of}T${time}` }
    },
    /** What expressions are read against, once the day rests. */
    get context() {
      return read(find(settledAsOf()))
    },
  }
}

/**
 * The dataset that the address names; none if there is no such dataset, as the figures of another would be taken for its own.
 * An address without one means the first.
 */
export function currentDataset(list: Dataset[] | undefined): Dataset | undefined {
  const name = param('dataset')
  return name === null ? list?.[0] : list?.find((d) => d.name === name)
}

/** The pages that show one dataset. */
const ofOneDataset = ['/totals', '/drivers', '/records', '/lines', '/ageing']

/**
 * The dataset with the newest day that is not after today. Records that stand for months or years, as a plan's do, reach
 * ahead and show nothing about how new the others are.
 */
function newestDataset(list: Dataset[] | undefined, today: string | undefined): Dataset | undefined {
  const known = list?.filter((d) => d.newest && !d.grain && (!today || d.newest <= today)) ?? []
  return (
    known.reduce<Dataset | undefined>((a, d) => (a?.newest && a.newest >= d.newest! ? a : d), undefined) ?? list?.[0]
  )
}

export type AsOfState = ReturnType<typeof useAsOf>

/** Days to fetch on either side of the as-of day, and how near to the edge one may come. */
const reach = 150
const margin = 40

export interface DaysThen {
  intervals: Interval[]
  days: number | null
  error: string | null
}

/**
 * Follows expressions over a period of as-of days around the one at hand, fetched at once, so that
 * moving the day needs no call a step.
 */
export function useTimelines(expressions: () => string[], asOf: AsOfState) {
  let anchor: number | null = null
  const window = () => {
    if (asOf.day === null) return null
    const day = toNumber(asOf.day)
    if (anchor === null || Math.abs(day - anchor) > reach - margin) anchor = day
    return { from: toISO(anchor - reach), through: toISO(anchor + reach), at_close: atClose(), calendar: calendar() }
  }
  const query = createQuery(() => {
    const list = expressions()
    const w = window()
    return {
      queryKey: ['timelines', list, w],
      queryFn: async () => data(await api.POST('/resolve/timeline', { body: { expressions: list, ...w! } })),
      enabled: w !== null && list.length > 0,
      placeholderData: keepPreviousData,
    }
  })
  return {
    get query() {
      return query
    },
    /** What an expression gives as of the day at hand, by its position. */
    at(i: number): DaysThen | null {
      const timeline = query.data?.timelines[i]
      if (!timeline || asOf.day === null) return null
      if (timeline.error) return { intervals: [], days: null, error: timeline.error.message }
      let low = 0
      let high = timeline.answers.length
      while (low < high) {
        const middle = (low + high) >> 1
        if ((timeline.answers[middle]?.as_of ?? '') <= asOf.day) low = middle + 1
        else high = middle
      }
      const answer = timeline.answers[Math.max(0, low - 1)]
      return answer ? { intervals: answer.intervals, days: answer.days, error: answer.error?.message ?? null } : null
    },
  }
}

type FigureKind = Schemas['FigureKind']

/** The figures that there are, as the service lists them. */
export function useFigureKinds() {
  const status = useStatus()
  const all = () => status.data?.figures ?? []
  const kind = (name: string) => all().find((k) => k.kind === name)
  const derivations = () => status.data?.derivations ?? []
  const pairs = () => all().filter((k) => k.pair)
  const grammar = () => ({ pairs: pairs().map((k) => k.kind), derivations: derivations().map((d) => d.derivation) })
  const parse = (figure: string) => parseFigure(figure, grammar())
  return {
    get derivations() {
      return derivations()
    },
    /** The kinds that a column can be put together by. */
    of: (c: Column): FigureKind[] => all().filter((k) => k.of_column && !k.pair && (c.type === 'number' || k.any_type)),
    /** The kinds that take two columns. */
    get pairs() {
      return pairs()
    },
    addsUp: (figure: string) => kind(parse(figure).kind)?.adds_up ?? false,
    parse,
    write: (f: Figure) => writeFigure(f, grammar()),
    /** sum fare per day → sum of fare per day */
    words(figure: string): string {
      const f = parse(figure)
      const of = [f.column, f.over].filter((c) => c !== '').map(wordsOf)
      const base = [kind(f.kind)?.words ?? f.kind, of.join(' to ')].filter((part) => part !== '').join(' of ')
      return f.derived === '' ? base : `${base} ${f.derived}`
    },
  }
}
