<script lang="ts">
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query'
  import { api, data, type Answer, type Query, type TableColumn } from '../../api/client'
  import { outer, ranges, toNumber } from '../../lib/days'
  import { extent, outerTimes, size } from '../../lib/moments'
  import { countDays, formatCell, formatChange, toneOf } from '../../lib/numbers'
  import { spanName, wholeRow, wordsOf } from '../../lib/query'
  import { drawn } from './drawing'
  import ChartBox from '../../ui/ChartBox.svelte'

  // A total of one figure over one span, shown large: its days, what it is compared with, and its course through the span.
  let {
    answer,
    asked,
    link,
    why,
  }: { answer: Answer; asked: Query; link: string | null; why: (column: TableColumn) => string | null } = $props()

  const table = $derived(answer.tables[0])
  const own = $derived(table?.columns[0])
  const span = $derived(answer.spans[0])
  const row = $derived(wholeRow(table))
  const value = $derived(own ? formatCell(own, row?.cells[0]) : '–')
  const compared = $derived(
    (span?.comparisons ?? []).map((c) => {
      const at = table?.columns.findIndex((k) => k.role === 'counterpart' && k.comparison === c.name) ?? -1
      return {
        c,
        counterpart: row?.cells[at] ?? null,
        difference: row?.cells[at + 1] ?? null,
        change: row?.cells[at + 2] ?? null,
      }
    }),
  )

  // The course goes by units of which the span has a readable number.
  const unit = $derived.by(() => {
    const { oldest, newest } = answer
    const days = span?.days ?? (oldest && newest ? toNumber(newest) - toNumber(oldest) + 1 : null)
    if (span?.moments && (span.seconds ?? 0) <= 3 * 86_400) return 'hour'
    if (days === null || days > 400) return 'year'
    return days <= 1 && span?.days !== null ? '' : days <= 45 ? 'day' : days <= 190 ? 'week' : 'month'
  })
  const course = createQuery(() => {
    const body = { ...asked, each: unit, against: (asked.against ?? []).slice(0, 1) }
    return {
      queryKey: ['total', 'course', body],
      queryFn: async () => data(await api.POST('/total', { body })),
      enabled: unit !== '' && row !== undefined,
      placeholderData: keepPreviousData,
    }
  })
  type Comparison = NonNullable<(typeof answer.spans)[number]['comparisons']>[number]
  const differs = (name: string) => table?.columns.find((k) => k.role === 'difference' && k.comparison === name)
  const perDay = (c: Comparison) => c.per_day?.find((p) => p.figure === 0)?.change ?? null
  const chart = $derived(course.data ? drawn(course.data, 0, 'bars') : null)
</script>

{#if span && own}
  <section class="card mb-3.5 grid gap-x-8 gap-y-4 p-5 lg:grid-cols-[minmax(16rem,auto)_1fr]" data-big-figure>
    <div>
      <p class="text-quiet">
        {wordsOf(own.title)}, <b class="font-semibold text-ink">{spanName(span.expression)}</b>
      </p>
      <p class="mt-1 text-4xl leading-tight font-semibold tracking-tight tabular-nums" data-column={own.id}>
        {#if link}<a class="hover:text-inside hover:underline" href={link} title="The records behind this figure"
            >{value}</a
          >{:else}{value}{/if}{#if own.unit}<span class="ml-2 text-base font-normal text-quiet">{own.unit}</span>{/if}
      </p>
      {#if row?.flags?.length}<p class="text-2xs text-worse" data-big-flags>{row.flags.join(', ')}</p>{/if}
      <p class="mt-1" data-big-days>
        {#if span.moments}<span title={extent(span)}>{outerTimes(span.moments)}</span>
          <span class="text-quiet">{size(span)}</span>
        {:else}{span.intervals.length > 1 ? ranges(span.intervals) : outer(span.intervals)}
          <span class="text-quiet">{span.days === null ? '' : countDays(span.days)}</span>{/if}
      </p>
      {#each compared as { c, counterpart, difference, change } (c.name)}
        {@const at = table?.columns.find((k) => k.role === 'counterpart' && k.comparison === c.name)}
        {@const changed = table?.columns.find((k) => k.role === 'change' && k.comparison === c.name)}
        {@const made = changed ? why(changed) : null}
        <p class="mt-3 border-t border-line/60 pt-2" data-big-comparison={c.name}>
          <span class={['text-base font-semibold', toneOf(own, change)]}>{formatChange(change)}</span>
          <span class="ml-1"
            >{difference && at ? formatCell(differs(c.name) ?? at, difference) : ''} from
            {at ? formatCell(at, counterpart) : ''}</span
          >
          {#if made}<a class="chip ml-1" href={made} data-why>Why?</a>{/if}
          <span class="block text-quiet">{c.name}: {c.moments ? outerTimes(c.moments) : outer(c.intervals)}</span>
          {#if span.covered_days !== null && c.covered_days > 0 && span.covered_days !== c.covered_days}
            <span class="block text-quiet" data-lengths-differ
              >{countDays(span.covered_days)} against {c.covered_days}{#if perDay(c) !== null}; per day {formatChange(
                  perDay(c),
                )}{/if}</span
            >
          {/if}
          {#if c.cause}<span class="block text-2xs text-worse">not like-for-like: {c.cause.text}</span>{/if}
        </p>
      {/each}
    </div>
    <div class="min-w-0">
      {#if chart && course.data}
        <ChartBox
          kind="bars"
          title={`${wordsOf(own.title)} by ${unit}`}
          labels={chart.labels}
          series={chart.series}
          future={chart.future}
          asOf={answer.as_of}
          height={220}
        />
      {/if}
    </div>
  </section>
{/if}
