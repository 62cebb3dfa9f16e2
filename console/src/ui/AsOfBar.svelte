<script lang="ts">
  import { CalendarDate } from '@internationalized/date'
  import CalendarDays from '@lucide/svelte/icons/calendar-days'
  import ChevronLeft from '@lucide/svelte/icons/chevron-left'
  import ChevronRight from '@lucide/svelte/icons/chevron-right'
  import { Calendar, Popover } from 'bits-ui'
  import { isDay, long, parts, short, step } from '../lib/days'
  import { useAsOf, useCalendars } from '../api/queries'
  import { atClose, calendar, moveAsOf, setAsOf, setParam, statedAsOf } from '../lib/address.svelte'
  import { route } from '../router'
  import AsKnown from './AsKnown.svelte'
  import AsOfTime from './AsOfTime.svelte'
  import Select from './Select.svelte'

  const asOf = useAsOf()
  const calendars = useCalendars()
  let open = $state(false)
  let typed = $state('')

  const picked = $derived.by(() => {
    if (asOf.day === null) return undefined
    const p = parts(asOf.day)
    return new CalendarDate(p.year, p.month, p.day)
  })

  // Where the records end before the as-of day, spans that reach on are not what they seem.
  const recordsEnd = $derived.by(() => {
    const newest = asOf.basisDataset?.newest
    return newest && asOf.day !== null && newest < asOf.day ? newest : null
  })

  // Where spans of moments are read, the day may have a time.
  const timed = $derived(
    ['/', '/check', '/totals', '/records'].includes(route.pathname) || route.pathname.startsWith('/span/'),
  )

  // Where records are asked about, it may be by what was known of them earlier.
  const ofRecords = $derived(
    ['/totals', '/drivers', '/lines', '/records', '/ageing'].includes(route.pathname) ||
      route.pathname.startsWith('/brief/'),
  )

  const go = setAsOf
  const dayClass = [
    'grid size-8 place-items-center rounded-md hover:bg-ahead',
    'data-[outside-month]:text-quiet data-[selected]:bg-asof data-[selected]:text-card',
  ]

  function stepBy(days: number, months = 0) {
    if (asOf.day !== null) moveAsOf(step(asOf.day, days, months))
  }

  // Arrow keys step the as-of day wherever they mean nothing else.
  function key(e: KeyboardEvent) {
    if (e.key !== 'ArrowLeft' && e.key !== 'ArrowRight') return
    if (e.ctrlKey || e.metaKey || e.altKey || e.defaultPrevented) return
    const at = e.target as HTMLElement
    if (at.closest('input, textarea, select, [role="dialog"], [role="listbox"], [role="combobox"], [role="grid"]'))
      return
    const sign = e.key === 'ArrowLeft' ? -1 : 1
    e.preventDefault()
    if (e.shiftKey) stepBy(0, sign)
    else stepBy(sign)
  }

  function enter() {
    if (isDay(typed)) {
      go(typed)
      open = false
    }
  }
</script>

<svelte:window onkeydown={key} />
<header
  class="print:hidden sticky top-0 z-20 flex flex-wrap items-center gap-1.5 border-b border-line bg-card px-3 py-2 sm:min-h-14 sm:px-5"
  aria-label="As-of day"
>
  <span class="size-2 rounded-full bg-asof" aria-hidden="true"></span>
  <span class="text-quiet">As of</span>
  <Popover.Root bind:open onOpenChange={() => (typed = asOf.day ?? '')}>
    <Popover.Trigger
      class="flex items-center gap-2 rounded-md px-1 text-[1.0625rem] font-semibold tracking-tight hover:text-asof"
    >
      <span class="sr-only">Choose the as-of day, now</span>
      <span data-as-of={asOf.day}>{asOf.day === null ? '…' : long(asOf.day)}</span>
      <CalendarDays class="size-4 text-quiet" aria-hidden="true" />
    </Popover.Trigger>
    <Popover.Portal>
      <Popover.Content class="card z-40 p-3 shadow-lg" sideOffset={6} align="start">
        <form
          class="mb-3 flex gap-2"
          onsubmit={(e) => {
            e.preventDefault()
            enter()
          }}
        >
          <input
            class="field font-mono"
            bind:value={typed}
            aria-label="As-of day, year-month-day"
            placeholder="2026-10-19"
            spellcheck="false"
            autocomplete="off"
          />
          <button class="button" disabled={!isDay(typed)}>Go</button>
        </form>
        <Calendar.Root
          type="single"
          value={picked}
          weekStartsOn={1}
          fixedWeeks
          onValueChange={(v) => {
            if (v) {
              go(v.toString())
              open = false
            }
          }}
        >
          {#snippet children({ months, weekdays })}
            <Calendar.Header class="mb-2 flex items-center justify-between">
              <Calendar.PrevButton class="button px-2" aria-label="Previous month"
                ><ChevronLeft class="size-4" /></Calendar.PrevButton
              >
              <Calendar.Heading class="font-semibold" />
              <Calendar.NextButton class="button px-2" aria-label="Next month"
                ><ChevronRight class="size-4" /></Calendar.NextButton
              >
            </Calendar.Header>
            {#each months as month (month.value.toString())}
              <Calendar.Grid>
                <Calendar.GridHead>
                  <Calendar.GridRow>
                    {#each weekdays as day (day)}<Calendar.HeadCell class="size-8 text-2xs font-normal text-quiet"
                        >{day.slice(0, 2)}</Calendar.HeadCell
                      >{/each}
                  </Calendar.GridRow>
                </Calendar.GridHead>
                <Calendar.GridBody>
                  {#each month.weeks as week (week[0]?.toString())}
                    <Calendar.GridRow>
                      {#each week as date (date.toString())}
                        <Calendar.Cell {date} month={month.value}>
                          <Calendar.Day class={dayClass} />
                        </Calendar.Cell>
                      {/each}
                    </Calendar.GridRow>
                  {/each}
                </Calendar.GridBody>
              </Calendar.Grid>
            {/each}
          {/snippet}
        </Calendar.Root>
      </Popover.Content>
    </Popover.Portal>
  </Popover.Root>
  <button
    class="button px-2"
    onclick={() => stepBy(-1)}
    aria-label="One day back"
    title="One day back (←; with Shift one month)"><ChevronLeft class="size-4" /></button
  >
  <button
    class="button px-2"
    onclick={() => stepBy(1)}
    aria-label="One day on"
    title="One day on (→; with Shift one month)"><ChevronRight class="size-4" /></button
  >
  <button
    class={['button', statedAsOf() === 'today' && 'button-on']}
    aria-pressed={statedAsOf() === 'today'}
    onclick={() => go('today')}>Today</button
  >
  <button
    class={['button', statedAsOf() === 'latest' && 'button-on']}
    aria-pressed={statedAsOf() === 'latest'}
    title={asOf.basisDataset ? `The newest day in ${asOf.basisDataset.name}` : 'The newest day of the records'}
    onclick={() => go('latest')}>Latest record</button
  >
  <button
    class={['button', atClose() && 'button-on']}
    aria-pressed={atClose()}
    title="The as-of day itself is over and counts as complete"
    onclick={() => setParam('at_close', atClose() ? null : 'yes')}>At close</button
  >
  {#if timed}<AsOfTime />{/if}
  {#if ofRecords}<AsKnown />{/if}
  {#if recordsEnd}
    <span class="hidden text-quiet md:inline" data-records-end>records end {short(recordsEnd)}</span>
  {/if}
  <div class="ml-auto flex items-center gap-2">
    <span class="hidden text-quiet lg:inline">Calendar</span>
    <Select
      label="Calendar"
      value={calendar()}
      options={(calendars.data ?? []).map((c) => ({
        value: c.definition.name,
        label: c.definition.name,
        hint: c.definition.about ?? c.layout,
      }))}
      onchoose={(v) => setParam('calendar', v === 'civil' ? null : v)}
    />
  </div>
</header>
