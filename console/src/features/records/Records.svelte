<script lang="ts">
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query'
  import { ToggleGroup } from 'bits-ui'
  import Select from '../../ui/Select.svelte'
  import DatasetHead from '../../ui/DatasetHead.svelte'
  import Boundaries from './Boundaries.svelte'
  import ChangedRecords from './ChangedRecords.svelte'
  import Filters from '../totals/Filters.svelte'
  import NoRecords from '../../ui/NoRecords.svelte'
  import RecordTable from './RecordTable.svelte'
  import SpanChips from '../spans/SpanChips.svelte'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'
  import { api, type As, data } from '../../api/client'
  import { long } from '../../lib/days'
  import { extent, moment, size } from '../../lib/moments'
  import { toCSV } from '../../lib/csv'
  import { count, formatNumber } from '../../lib/numbers'
  import { columnsOf, compact, datesOf, wordsOf } from '../../lib/query'
  import { currentDataset, useAsOf, useDatasets } from '../../api/queries'
  import { scrolls } from '../../ui/scrolls'
  import { knownState, mendParam, param, params, setParam } from '../../lib/address.svelte'

  const limit = 100
  const datasets = useDatasets()
  const asOf = useAsOf()
  const dataset = $derived(currentDataset(datasets.data))
  const over = $derived(param('over') ?? 'all dates')
  const after = $derived(param('after') ?? undefined)
  const amounts = $derived(dataset ? columnsOf(dataset, 'amount') : [])
  const dates = $derived(dataset ? datesOf(dataset) : [])
  const running = $derived(amounts.some((c) => c.name === param('running')) ? (param('running') ?? '') : '')
  const order = $derived(param('order') === 'oldest' ? 'oldest' : 'newest')
  const views = ['list', 'boundaries', 'changes'] as const
  const view = $derived(views.find((v) => v === param('view')) ?? 'list')
  const date = $derived(param('date') ?? '')

  const asked = $derived.by(() => {
    if (!dataset || asOf.moment === null) return null
    const body = {
      dataset: dataset.name,
      over,
      where: params('where'),
      ...compact({ date }),
      ...asOf.moment,
      ...knownState(),
    }
    return { version: dataset.version, body }
  })
  const page = createQuery(() => {
    const now = asked
    const list = { order: order as 'oldest' | 'newest', limit, ...compact({ after, running }) }
    return {
      queryKey: ['records', now, list],
      queryFn: async () => data(await api.POST('/records', { body: { ...now!.body, ...list } })),
      enabled: now !== null,
      placeholderData: keepPreviousData,
    }
  })

  // A page belongs to the query that it was asked for; another query starts at its first record.
  let before = ''
  $effect(() => {
    const now = JSON.stringify([asked?.body, order])
    if (before !== '' && before !== now && param('after') !== null) setParam('after', null, true)
    before = now
  })

  // The records of the page to paste, all of them to take away.
  function csv(): string {
    const p = page.data
    if (!p) return ''
    const header = [...p.columns.map((c) => c.name), ...(p.running ? [running + '_running'] : [])]
    return toCSV([header, ...p.records.map((r, i) => (p.running ? [...r, p.running[i] ?? null] : r))])
  }
  const take = (as: As) =>
    api.POST('/records', { body: { ...asked!.body, order: order as 'oldest' | 'newest' }, ...as })
</script>

<DatasetHead
  title="Records"
  {dataset}
  datasets={datasets.data ?? []}
  csv={page.data ? csv : undefined}
  take={asked ? take : undefined}
/>

{#if datasets.isError}
  <ErrorPanel error={datasets.error} retry={() => void datasets.refetch()} />
{:else if datasets.isSuccess && !dataset}
  <NoRecords />
{:else if dataset}
  <section
    class="card mb-3.5 grid gap-x-4 gap-y-2.5 p-4 sm:grid-cols-[5.5rem_1fr] sm:items-center"
    aria-label="The query"
  >
    <span class="text-quiet">Over</span>
    <div class="flex flex-wrap items-center gap-1.5">
      <SpanChips over={[over]} single context={asOf.moment} onchange={(o) => setParam('over', o[0] ?? null)} />
      {#if dates.length > 1}
        <Select
          label="By which date"
          value={date || (dates.find((c) => c.role === 'day')?.name ?? '')}
          options={dates.map((c) => ({ value: c.name, label: `by ${wordsOf(c.name)}` }))}
          onchoose={(v) => setParam('date', dates.find((c) => c.name === v)?.role === 'day' ? null : v)}
        />
      {/if}
    </div>
    <span class="text-quiet">Where</span>
    <Filters {dataset} context={asOf.moment} />
    <span class="text-quiet">Show</span>
    <div class="flex flex-wrap items-center gap-2">
      <ToggleGroup.Root
        type="single"
        value={view}
        onValueChange={(v) => setParam('view', v === 'list' || v === '' ? null : v)}
        class="flex gap-1.5"
        aria-label="Show"
      >
        <ToggleGroup.Item value="list" class={['chip', view === 'list' ? 'chip-on' : 'text-quiet']}
          >all records</ToggleGroup.Item
        >
        <ToggleGroup.Item value="boundaries" class={['chip', view === 'boundaries' ? 'chip-on' : 'text-quiet']}
          >boundaries of the span</ToggleGroup.Item
        >
        <ToggleGroup.Item value="changes" class={['chip', view === 'changes' ? 'chip-on' : 'text-quiet']}
          >what changed</ToggleGroup.Item
        >
      </ToggleGroup.Root>
      {#if view === 'list'}
        <Select
          label="Order"
          value={order}
          options={[
            { value: 'newest', label: 'newest first' },
            { value: 'oldest', label: 'oldest first' },
          ]}
          onchoose={(v) => setParam('order', v === 'oldest' ? v : null)}
        />
        <Select
          label="Running sum"
          value={running || 'none'}
          options={[
            { value: 'none', label: 'no running sum' },
            ...amounts.map((c) => ({ value: c.name, label: `running sum of ${wordsOf(c.name)}` })),
          ]}
          onchoose={(v) => setParam('running', v === 'none' ? null : v)}
        />
      {/if}
    </div>
  </section>

  {#if page.isError}
    <ErrorPanel error={page.error} retry={() => void page.refetch()} mend={mendParam} />
  {:else if !page.data}
    <div class="card h-96 animate-pulse" aria-busy="true" aria-label="Loading records"></div>
  {:else}
    {@const p = page.data}
    <div class="mb-2.5 flex flex-wrap items-baseline gap-x-5 gap-y-1">
      <p>
        <span class="text-quiet">As of</span>
        <b class="font-semibold">{p.as_of_moment && p.span.moments ? moment(p.as_of_moment) : long(p.as_of)}</b><span
          class="text-quiet">, by {wordsOf(p.date)}:</span
        >
        {extent(p.span)} <span class="text-quiet">{size(p.span)}</span>
      </p>
      <p><b class="font-semibold" data-count>{count(p.count)}</b> <span class="text-quiet">records</span></p>
      {#each p.sums as s (s.column)}
        <p>
          <span class="text-quiet">sum of {wordsOf(s.column)}</span>
          <b class="font-semibold" data-sum={s.column}>{formatNumber(s.sum)}</b>
        </p>
      {/each}
      {#if p.undated > 0}<p class="text-quiet">
          <b class="font-semibold text-worse">{count(p.undated)} with no {wordsOf(p.date)}</b>, excluded
        </p>{/if}
    </div>
    {#if view === 'boundaries' && asked}
      <Boundaries version={asked.version} asked={asked.body} />
    {:else if view === 'changes' && asked}
      <ChangedRecords version={asked.version} asked={asked.body} />
    {:else}
      <section
        {@attach scrolls}
        class={['card overflow-auto', page.isPlaceholderData && 'opacity-70']}
        aria-busy={page.isPlaceholderData}
        style:max-height="max(20rem, calc(100vh - 21rem))"
      >
        <RecordTable
          columns={p.columns}
          records={p.records}
          date={p.date}
          running={p.running ? { of: running, values: p.running } : null}
        />
      </section>
      <div class="mt-2.5 flex flex-wrap items-center gap-2">
        <button class="button" disabled={!after} onclick={() => setParam('after', null)}>First page</button>
        <button class="button" disabled={!after} onclick={() => history.back()}>Back</button>
        <button class="button" disabled={!p.next} onclick={() => setParam('after', p.next ?? null)}>Next page</button>
        <span class="text-quiet"
          >{count(p.records.length)} of {count(p.count)}, {order} first{running && !p.next
            ? '; the running sum ends in the total'
            : ''}</span
        >
      </div>
    {/if}
  {/if}
{/if}
