<script lang="ts">
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query'
  import ChevronLeft from '@lucide/svelte/icons/chevron-left'
  import ChevronRight from '@lucide/svelte/icons/chevron-right'
  import Plus from '@lucide/svelte/icons/plus'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'
  import { api, data, type Schemas } from '../../api/client'
  import { parts, range } from '../../lib/days'
  import { useAsOf, useCalendars } from '../../api/queries'
  import { calendar, param, setAsOf, setParam } from '../../lib/address.svelte'
  import CalendarEditor from './CalendarEditor.svelte'
  import HolidaysEditor from './HolidaysEditor.svelte'
  import YearGrid from './YearGrid.svelte'
  import { useHolidayLists, type CalendarSpec, type HolidayList } from './calendars'

  const calendars = useCalendars()
  const lists = useHolidayLists()
  const asOf = useAsOf()
  const name = $derived(calendar())
  const calendarWords = (c: Schemas['Calendar'] | undefined) =>
    c && [c.layout, c.definition.about].filter(Boolean).join('. ')
  const chosen = $derived(calendars.data?.find((c) => c.definition.name === name))
  const about = $derived(calendarWords(chosen))
  const stated = $derived(Number(param('year')))
  const guess = $derived(asOf.day === null ? null : parts(asOf.day).year)
  const year = $derived(Number.isInteger(stated) && stated > 0 ? stated : guess)

  // While a calendar or its holidays are edited, the year below is that of what stands in the fields.
  let editing = $state<'' | 'new' | 'change' | 'holidays'>('')
  let spec = $state<CalendarSpec | null>(null)
  let listName = $state<string | null>(null)
  let list = $state<HolidayList | null>(null)
  const definition = $derived(
    editing === 'new' || editing === 'change'
      ? spec
      : editing === 'holidays' && list && list.days.length > 0 && chosen
        ? { ...chosen.definition, holidays: list.name }
        : null,
  )
  function editHolidays() {
    listName = chosen?.definition.holidays ?? lists.data?.[0]?.definition.name ?? null
    editing = 'holidays'
  }

  const laid = createQuery(() => {
    const [y, day] = [year, asOf.day ?? undefined]
    const unsaved = definition ? ($state.snapshot(definition) as CalendarSpec) : null
    const own = editing === 'holidays' && list ? ($state.snapshot(list) as HolidayList) : undefined
    return {
      queryKey: ['calendar-year', name, y, day, unsaved, unsaved ? own : undefined],
      queryFn: async (): Promise<{ year: Schemas['CalendarYear']; layout: string | null }> =>
        unsaved
          ? data(
              await api.POST('/calendars/layout', {
                body: {
                  definition: unsaved,
                  year: y ?? 1,
                  ...(day ? { as_of: day } : {}),
                  ...(own ? { list: own } : {}),
                },
              }),
            )
          : {
              year: data(
                await api.GET('/calendars/{name}/years/{year}', {
                  params: { path: { name, year: y ?? 1 }, query: { as_of: day } },
                }),
              ),
              layout: null,
            },
      enabled: y !== null && asOf.day !== null,
      placeholderData: keepPreviousData,
      retry: false,
    }
  })
  const away = (offset: number) => (offset === 0 ? 'the same' : offset < 0 ? `${-offset} before` : `${offset} after`)

  function onday(day: string) {
    if (editing !== 'holidays' || !list) {
      setAsOf(day)
      return
    }
    const days = list.days.includes(day) ? list.days.filter((d) => d !== day) : [...list.days, day].sort()
    list = { ...list, days }
  }
</script>

<svelte:head><title>Calendars · Vast Span</title></svelte:head>

<div class="mb-1 flex flex-wrap items-center gap-3">
  <h1 class="text-xl font-semibold tracking-tight">Calendars</h1>
  <div class="flex flex-wrap gap-1.5" role="group" aria-label="Calendar">
    {#each calendars.data ?? [] as c (c.definition.name)}
      <button
        class={['chip', c.definition.name === name ? 'chip-on' : 'text-quiet']}
        aria-pressed={c.definition.name === name}
        disabled={editing === 'new' || editing === 'change'}
        onclick={() => setParam('calendar', c.definition.name === 'civil' ? null : c.definition.name)}
        >{c.definition.name}</button
      >
    {/each}
  </div>
  <div class="ml-auto flex flex-wrap items-center gap-1.5">
    {#if editing === ''}
      <button class="button for-analyst" onclick={editHolidays}>Holidays…</button>
      {#if chosen && chosen.version > 0}<button
          class="button for-analyst"
          onclick={() => (editing = 'change')}
          data-change-calendar>Change {chosen.definition.name}…</button
        >{/if}
      <button class="button for-analyst" onclick={() => (editing = 'new')}
        ><Plus class="size-3.5" aria-hidden="true" />New calendar</button
      >
    {/if}
    <button
      class="button px-2"
      aria-label="The year before"
      disabled={year === null || year <= 1}
      onclick={() => setParam('year', String((year ?? 2) - 1))}><ChevronLeft class="size-4" /></button
    >
    <b class="min-w-20 text-center text-[0.9375rem] font-semibold" data-year>{laid.data?.year.label ?? year}</b>
    <button
      class="button px-2"
      aria-label="The year after"
      disabled={year === null || year >= 9999}
      onclick={() => setParam('year', String((year ?? 1) + 1))}><ChevronRight class="size-4" /></button
    >
  </div>
</div>
{#if editing === 'holidays'}
  <HolidaysEditor bind:name={listName} bind:list ondone={() => (editing = '')} />
{:else if editing !== ''}
  <CalendarEditor
    calendar={editing === 'change' ? (chosen ?? null) : null}
    onchange={(s) => (spec = s)}
    ondone={(made) => {
      editing = ''
      spec = null
      setParam('calendar', made === null || made === 'civil' ? null : made)
    }}
  />
{/if}
{#if (laid.data?.layout ?? about) && !laid.isError}<p class="mb-2.5 text-quiet" data-layout>
    {laid.data?.layout ?? about}
  </p>{/if}

{#if laid.isError}
  <ErrorPanel error={laid.error} />
{:else if !laid.data}
  <div class="card h-96 animate-pulse" aria-busy="true" aria-label="Laying the year out"></div>
{:else}
  {@const y = laid.data.year}
  <p class="mb-2.5">
    {range(y)}<span class="text-quiet"
      >, {y.days} days, {y.weeks.length} weeks{y.offset !== undefined
        ? `; ${y.offset === 0 ? 'the as-of day’s own year' : away(y.offset)}`
        : ''}</span
    >
    <span class="ml-3 text-quiet"
      ><span class="mr-1 inline-block size-2 rounded-full bg-plan"></span>holiday
      <span class="mr-1 ml-3 inline-block size-2.5 rounded-sm outline-2 outline-asof"></span>as-of day; grey days are no
      business days; hover for offsets</span
    >
  </p>
  <YearGrid year={y} asOf={asOf.day} {onday} doing={editing === 'holidays' ? 'click: a holiday, or none' : ''} />
{/if}
