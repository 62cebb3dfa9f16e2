<script lang="ts">
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query'
  import ChevronLeft from '@lucide/svelte/icons/chevron-left'
  import ChevronRight from '@lucide/svelte/icons/chevron-right'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'
  import { api, data, type Schemas } from '../../api/client'
  import { long, parts, range, toISO, toNumber, weekdays } from '../../lib/days'
  import { useAsOf, useCalendars } from '../../api/queries'
  import { calendar, param, setAsOf, setParam } from '../../lib/address.svelte'

  const calendars = useCalendars()
  const asOf = useAsOf()
  const name = $derived(calendar())
  const calendarWords = (c: Schemas['Calendar'] | undefined) =>
    c && [c.layout, c.definition.about].filter(Boolean).join('. ')
  const about = $derived(calendarWords(calendars.data?.find((c) => c.definition.name === name)))
  const stated = $derived(Number(param('year')))
  const guess = $derived(asOf.day === null ? null : parts(asOf.day).year)
  const year = $derived(Number.isInteger(stated) && stated > 0 ? stated : guess)

  const laid = createQuery(() => {
    const y = year
    const day = asOf.day ?? undefined
    return {
      queryKey: ['calendar-year', name, y, day],
      queryFn: async () =>
        data(
          await api.GET('/calendars/{name}/years/{year}', {
            params: { path: { name, year: y ?? 1 }, query: { as_of: day } },
          }),
        ),
      enabled: y !== null && asOf.day !== null,
      placeholderData: keepPreviousData,
    }
  })

  type Unit = Schemas['CalendarUnit']
  const holding = (list: Unit[] | undefined, day: string) => list?.find((u) => u.first_day <= day && day <= u.last_day)
  const away = (offset: number) => (offset === 0 ? 'the same' : offset < 0 ? `${-offset} before` : `${offset} after`)

  // The weeks of a period: rows of seven days, those of other periods left blank.
  function rows(p: Unit, weeks: Unit[], first: string) {
    const start = toNumber(p.first_day) - ((((toNumber(p.first_day) - toNumber(first)) % 7) + 7) % 7)
    const list = []
    for (let d = start; d <= toNumber(p.last_day); d += 7) {
      const days = Array.from({ length: 7 }, (_, i) => toISO(d + i))
      list.push({
        week: holding(weeks, toISO(d)),
        days: days.map((x) => (x >= p.first_day && x <= p.last_day ? x : null)),
      })
    }
    return list
  }
  function hint(y: Schemas['CalendarYear'], day: string): string {
    const lines = [long(day)]
    for (const u of [holding(y.weeks, day), holding(y.periods, day), holding(y.quarters, day), holding(y.halves, day)])
      if (u) lines.push(`${u.label}: ${away(u.offset)}`)
    if (y.holidays.includes(day)) lines.push('holiday')
    return lines.join('\n')
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
        onclick={() => setParam('calendar', c.definition.name === 'civil' ? null : c.definition.name)}
        >{c.definition.name}</button
      >
    {/each}
  </div>
  <div class="ml-auto flex items-center gap-1.5">
    <button
      class="button px-2"
      aria-label="The year before"
      disabled={year === null || year <= 1}
      onclick={() => setParam('year', String((year ?? 2) - 1))}><ChevronLeft class="size-4" /></button
    >
    <b class="min-w-20 text-center text-[0.9375rem] font-semibold" data-year>{laid.data?.label ?? year}</b>
    <button
      class="button px-2"
      aria-label="The year after"
      disabled={year === null || year >= 9999}
      onclick={() => setParam('year', String((year ?? 1) + 1))}><ChevronRight class="size-4" /></button
    >
  </div>
</div>
{#if about}<p class="mb-2.5 text-quiet">{about}</p>{/if}

{#if laid.isError}
  <ErrorPanel error={laid.error} />
{:else if !laid.data}
  <div class="card h-96 animate-pulse" aria-busy="true" aria-label="Laying the year out"></div>
{:else}
  {@const y = laid.data}
  {@const grid = y.weeks[0]?.first_day ?? y.first_day}
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
  <div class="grid grid-cols-1 gap-2.5 sm:grid-cols-2 xl:grid-cols-3" data-calendar-year>
    {#each y.periods as p (p.first_day)}
      {@const q = holding(y.quarters, p.first_day)}
      <section class={['card px-3 pt-2 pb-2.5', p.offset === 0 && 'border-asof']}>
        <h2 class="mb-1 flex items-baseline gap-2">
          <b class="font-semibold">{p.label}</b><span class="text-2xs text-quiet">{range(p)}, {p.days} days</span>
          <span class="ml-auto text-2xs text-quiet">{q?.label.split(' ')[0]}, {p.offset > 0 ? '+' : ''}{p.offset}</span>
        </h2>
        <table class="w-full table-fixed text-center">
          <thead>
            <tr class="text-2xs text-quiet"
              ><th class="w-9 text-left font-normal">wk</th
              >{#each Array.from({ length: 7 }, (_, i) => parts(toISO(toNumber(grid) + i)).weekday) as w (w)}<th
                  class="font-normal">{w.slice(0, 2)}</th
                >{/each}</tr
            >
          </thead>
          <tbody>
            {#each rows(p, y.weeks, grid) as r, i (i)}
              <tr>
                <th class="text-left text-2xs font-normal text-quiet" scope="row"
                  >{r.week?.label.split(' ')[0] ?? ''}</th
                >
                {#each r.days as day, j (j)}
                  <td class="h-6 p-0">
                    {#if day}
                      {@const free =
                        y.non_working.includes(
                          (weekdays.indexOf(parts(day).weekday as (typeof weekdays)[number]) + 6) % 7,
                        ) || y.holidays.includes(day)}
                      <button
                        class={[
                          'relative mx-auto grid size-6 place-items-center rounded-md hover:bg-ahead',
                          free && 'text-quiet',
                          day === asOf.day && 'font-semibold outline-2 outline-asof',
                        ]}
                        title={hint(y, day)}
                        tabindex="-1"
                        onclick={() => setAsOf(day)}
                      >
                        {parts(day).day}
                        {#if y.holidays.includes(day)}<span class="absolute top-0 right-0 size-1.5 rounded-full bg-plan"
                          ></span>{/if}
                      </button>
                    {/if}
                  </td>
                {/each}
              </tr>
            {/each}
          </tbody>
        </table>
      </section>
    {/each}
  </div>
{/if}
