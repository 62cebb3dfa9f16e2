<script lang="ts">
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query'
  import {
    api,
    asCSV,
    data,
    text,
    type As,
    type Note,
    type Row,
    type Schemas,
    type Table,
    type TableColumn,
  } from '../../api/client'
  import { currentDataset, useAsOf, useDatasets, useFigureKinds } from '../../api/queries'
  import { carried, knownState, mendParam, param, setParam } from '../../lib/address.svelte'
  import { long } from '../../lib/days'
  import { driversPage, recordsPage } from '../../lib/links'
  import { moment } from '../../lib/moments'
  import { crossedByTime, datesOf, isTimed, parseQuery, toQuery, wordsOf } from '../../lib/query'
  import DataTable from '../../ui/DataTable.svelte'
  import DatasetHead from '../../ui/DatasetHead.svelte'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'
  import NoRecords from '../../ui/NoRecords.svelte'
  import Notes from '../../ui/Notes.svelte'
  import { scrolls } from '../../ui/scrolls'
  import Select from '../../ui/Select.svelte'
  import AddToBrief from '../briefs/AddToBrief.svelte'
  import { toItem } from '../briefs/briefs'
  import SpanChips from '../spans/SpanChips.svelte'
  import BigFigure from './BigFigure.svelte'
  import Breakdown from './Breakdown.svelte'
  import Comparisons from './Comparisons.svelte'
  import Figures from './Figures.svelte'
  import Filters from './Filters.svelte'
  import Grouping from './Grouping.svelte'
  import Statements from './Statements.svelte'
  import TotalsChart from './TotalsChart.svelte'

  const datasets = useDatasets()
  const kinds = useFigureKinds()
  const asOf = useAsOf()
  const dataset = $derived(currentDataset(datasets.data))
  const q = $derived(dataset ? parseQuery(dataset) : null)
  const dates = $derived(dataset ? datesOf(dataset) : [])

  const asked = $derived.by(() => {
    if (!dataset || !q || asOf.moment === null) return null
    const subtotals = q.across !== '' ? { subtotals: true } : {}
    return {
      version: dataset.version,
      columns: dataset.columns,
      body: { ...toQuery(dataset.name, q), ...subtotals, ...asOf.moment, ...knownState() },
    }
  })
  const total = createQuery(() => {
    const now = asked
    return {
      queryKey: ['total', now],
      queryFn: async () => data(await api.POST('/total', { body: now!.body })),
      enabled: now !== null,
      placeholderData: keepPreviousData,
    }
  })
  const take = (as: As) => api.POST('/total', { body: asked!.body, ...as })
  const csv = async () => text(await api.POST('/total', { body: asked!.body, ...asCSV }))

  const unlike = $derived<Note[]>(total.data?.notes.filter((n) => n.code === 'not_like_for_like') ?? [])
  const causeOf = (n: Note) => n.text.replace(/^not like-for-like: /, '')

  function recordsLink(r: Row, c: TableColumn): string | null {
    const a = total.data
    return a ? recordsPage(a, a.tables[0]!, r, c, new URLSearchParams(carried()), kinds.parse) : null
  }
  function whyLink(table: Table, r: Row, c: TableColumn): string | null {
    const a = total.data
    return a ? driversPage(a, table, r, c, new URLSearchParams(carried()), kinds.parse) : null
  }
  // What stands beside the spans of a list, as long as it is they that are asked about.
  let list = $state<Schemas['Limits'] | null>(null)
  const beside = $derived(list && q && list.over.join(';') === q.over.join(';') ? list : undefined)

  // A cross-tab by parts of time is drawn in shades, so that a week's busy hours stand out.
  const shaded = $derived(param('shades') !== 'no')

  // A total of one figure over one span is shown large; a breakdown can be drawn.
  const single = $derived(
    q !== null &&
      total.data !== undefined &&
      total.data.spans.length === 1 &&
      q.each === '' &&
      q.by.length === 0 &&
      total.data.tables.length === 1 &&
      total.data.tables[0]!.columns.filter((c) => c.role === 'figure').length === 1 &&
      total.data.tables[0]!.rows.length > 0,
  )
  const drawable = $derived(q !== null && (q.each !== '' || q.by.length > 0))
  const drawings = [
    ['table', 'Table'],
    ['bars', 'Bars'],
    ['stacked', 'Stacked'],
    ['lines', 'Lines'],
  ] as const
  const drawing = $derived(drawings.find(([kind]) => kind === param('draw'))?.[0] ?? 'table')

  const briefKinds = $derived([
    { value: 'table' as const, label: 'a table' },
    q?.each
      ? { value: 'bars' as const, label: 'bars' }
      : { value: 'figure' as const, label: 'a figure with its trend' },
  ])
</script>

<DatasetHead
  title="Totals"
  {dataset}
  datasets={datasets.data ?? []}
  csv={asked ? csv : undefined}
  take={asked ? take : undefined}
>
  {#snippet tools()}
    {#if dataset && q}
      <AddToBrief kinds={briefKinds} make={(kind, title) => toItem(kind, title, dataset.name, q)} />
    {/if}
  {/snippet}
</DatasetHead>

{#if datasets.isError}
  <ErrorPanel error={datasets.error} retry={() => void datasets.refetch()} />
{:else if datasets.isSuccess && !dataset}
  <NoRecords />
{:else if dataset && q}
  <section
    class="card mb-3.5 grid gap-x-4 gap-y-2.5 p-4 sm:grid-cols-[5.5rem_1fr] sm:items-center"
    aria-label="The query"
  >
    <span class="text-quiet">Over</span>
    <div class="flex flex-wrap items-center gap-1.5">
      <SpanChips
        over={q.over}
        context={asOf.moment}
        onchange={(o) => setParam('over', o)}
        onlist={(l) => ((list = l), setParam('over', l.over))}
      />
      {#if dates.length > 1}
        <Select
          label="By which date"
          value={q.date || (dates.find((c) => c.role === 'day')?.name ?? '')}
          options={dates.map((c) => ({ value: c.name, label: `by ${wordsOf(c.name)}` }))}
          onchoose={(v) => setParam('date', dates.find((c) => c.name === v)?.role === 'day' ? null : v)}
        />
      {/if}
    </div>
    <span class="text-quiet">Figures</span>
    <Figures {dataset} figures={q.figures} onchange={(f) => setParam('figures', f)} />
    <span class="text-quiet">By</span>
    <Grouping {dataset} query={q} />
    <span class="text-quiet">Where</span>
    <Filters {dataset} context={asOf.moment} />
    <span class="text-quiet">Against</span>
    <Comparisons {dataset} datasets={datasets.data ?? []} query={q} />
    <span class="text-quiet">Each</span>
    <Breakdown query={q} timed={isTimed(dataset, q.date)} />
  </section>

  {#if unlike.length > 0 && !q.like_for_like && param('unlike') !== 'kept'}
    <section class="card mb-3.5 flex flex-wrap items-center gap-3 px-4 py-3" role="status" data-unlike>
      <b class="font-semibold text-worse">Not like-for-like</b>
      <span class="min-w-0 flex-1">{unlike.map(causeOf).join('; ')}</span>
      {#if unlike.some((n) => n.aligns)}
        <button class="button" onclick={() => setParam('like_for_like', 'yes')}> End both at the same day </button>
      {/if}
      <button class="button" onclick={() => setParam('unlike', 'kept')}>Dismiss</button>
    </section>
  {:else if q.like_for_like}
    <p class="mb-2.5 text-quiet">
      Like-for-like: both sides end at the same day, the as-of day or the newest record.
      <button class="text-inside underline" onclick={() => setParam('like_for_like', null)}>Undo</button>
    </p>
  {/if}

  {#if total.isError}
    <ErrorPanel error={total.error} retry={() => void total.refetch()} mend={mendParam} />
  {:else if !total.data}
    <div class="card h-56 animate-pulse" aria-busy="true" aria-label="Adding up"></div>
  {:else}
    {@const a = total.data}
    {@const timed = a.spans.some((s) => s.moments) || q.each === 'hour'}
    {#if single && asked}
      <BigFigure
        answer={a}
        asked={asked.body}
        link={recordsLink(a.tables[0]!.rows.at(-1)!, a.tables[0]!.columns[0]!)}
        why={(c) => whyLink(a.tables[0]!, a.tables[0]!.rows.at(-1)!, c)}
      />
    {:else}
      {#if drawable}
        <div class="mb-2.5 flex items-center gap-1.5" role="group" aria-label="How the breakdown is shown">
          {#each drawings as [kind, words] (kind)}
            <button
              class={['chip', drawing === kind ? 'chip-on' : 'text-quiet']}
              aria-pressed={drawing === kind}
              onclick={() => setParam('draw', drawing === kind || kind === 'table' ? null : kind)}>{words}</button
            >
          {/each}
        </div>
        {#if drawing !== 'table'}<TotalsChart
            answer={a}
            kind={drawing}
            addsUp={(i) => kinds.addsUp(q.figures[i] ?? q.figures[0] ?? 'count')}
          />{/if}
      {/if}
      {#each a.tables as table, i (i)}
        <section
          {@attach scrolls}
          class={['card mb-3.5 overflow-x-auto', total.isPlaceholderData && 'opacity-70']}
          aria-busy={total.isPlaceholderData}
        >
          {#if crossedByTime(table)}
            <div class="-mb-9 flex justify-end px-4 pt-3">
              <button
                class={['chip', shaded && 'chip-on']}
                aria-pressed={shaded}
                onclick={() => setParam('shades', shaded ? 'no' : null)}>shades</button
              >
            </div>
          {/if}
          <DataTable
            {table}
            spans={a.spans}
            answer={a}
            link={recordsLink}
            why={(r, c) => whyLink(table, r, c)}
            sortable
            {beside}
            shades={shaded && crossedByTime(table)}
          />
        </section>
      {/each}
    {/if}
    <p class="mt-2.5 text-quiet">
      As of <b class="font-semibold text-ink">{a.as_of_moment && timed ? moment(a.as_of_moment) : long(a.as_of)}</b
      >{a.at_close ? ', at close' : ''}, calendar {a.calendar}, by
      {wordsOf(a.date)}{a.zone && timed
        ? `, clock of ${a.zone}${a.day_starts ? `, day starts ${a.day_starts}` : ''}`
        : ''}.
    </p>
    {#if dataset.attached && asked}<div class="for-analyst">
        <Statements body={asked.body} database={dataset.attached.database} />
      </div>{/if}
    <Notes notes={a.notes} leaveOut={q.like_for_like || param('unlike') === 'kept' ? [] : ['not_like_for_like']} />
  {/if}
{/if}
