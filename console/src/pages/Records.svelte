<script lang="ts">
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query'
  import Download from '@lucide/svelte/icons/download'
  import { ToggleGroup } from 'bits-ui'
  import Choice from '../components/Choice.svelte'
  import DatasetHead from '../components/DatasetHead.svelte'
  import Edges from '../components/Edges.svelte'
  import Filters from '../components/Filters.svelte'
  import NoRecords from '../components/NoRecords.svelte'
  import RecordTable from '../components/RecordTable.svelte'
  import SpanChips from '../components/SpanChips.svelte'
  import Trouble from '../components/Trouble.svelte'
  import { api, data } from '../lib/api'
  import { grouped, long, ranges } from '../lib/days'
  import { toFilters } from '../lib/filters'
  import { currentDataset, useAsOf, useDatasets } from '../lib/queries'
  import { scrolls } from '../lib/scrolls'
  import { param, params, setParam } from '../lib/state.svelte'

  const limit = 100
  const datasets = useDatasets()
  const asOf = useAsOf()
  const dataset = $derived(currentDataset(datasets.data))
  const over = $derived(param('over') ?? 'all dates')
  const after = $derived(param('after') ?? undefined)
  const amounts = $derived(dataset?.columns.filter((c) => c.role === 'amount') ?? [])
  const dates = $derived(dataset?.columns.filter((c) => c.type === 'date' || c.type === 'timestamp') ?? [])
  const running = $derived(amounts.some((c) => c.name === param('running')) ? (param('running') ?? '') : '')
  const order = $derived(param('order') === 'oldest' ? 'oldest' : 'newest')
  const view = $derived(param('view') === 'edges' ? 'edges' : 'list')
  const date = $derived(param('date') ?? '')

  const question = $derived.by(() => {
    if (!dataset || asOf.reading === null) return null
    return { dataset: dataset.name, version: dataset.version, body: { over, where: toFilters(params('where')), ...(date ? { date } : {}), ...asOf.reading } }
  })
  const page = createQuery(() => {
    const q = question
    const list = { order: order as 'oldest' | 'newest', limit, ...(after ? { after } : {}), ...(running ? { running } : {}) }
    return {
      queryKey: ['records', q, list],
      queryFn: async () => data(await api.POST('/datasets/{name}/records', { params: { path: { name: q?.dataset ?? '' } }, body: { ...q!.body, ...list } })),
      enabled: q !== null,
      placeholderData: keepPreviousData,
    }
  })

  // A page belongs to the question it was asked for; another question starts at its first record.
  let asked = ''
  $effect(() => {
    const now = JSON.stringify([dataset?.name, over, params('where'), date, order, asOf.reading])
    if (asked !== '' && asked !== now && param('after') !== null) setParam('after', null, true)
    asked = now
  })

  function csv(): (string | null)[][] {
    const p = page.data
    if (!p) return []
    return [[...p.columns.map((c) => c.name), ...(p.running ? [running + '_running'] : [])], ...p.records.map((r, i) => (p.running ? [...r, p.running[i] ?? null] : r))]
  }

  // All records as a file: the service writes it as it reads them.
  const download = $derived.by(() => {
    if (!question) return '#'
    const q = new URLSearchParams({ over, as_of: question.body.as_of, at_close: String(question.body.at_close), calendar: question.body.calendar })
    if (question.body.where.length > 0) q.set('where', JSON.stringify(question.body.where))
    if (date) q.set('date', date)
    return `/api/v1/datasets/${encodeURIComponent(question.dataset)}/records.csv?${q}`
  })
</script>

<DatasetHead title="Records" {dataset} datasets={datasets.data ?? []} rows={csv} />

{#if datasets.isError}
  <Trouble error={datasets.error} again={() => void datasets.refetch()} />
{:else if datasets.isSuccess && !dataset}
  <NoRecords />
{:else if dataset}
  <section class="card mb-3.5 grid gap-x-4 gap-y-2.5 p-4 sm:grid-cols-[5.5rem_1fr] sm:items-center" aria-label="Which records">
    <span class="text-quiet">Over</span>
    <div class="flex flex-wrap items-center gap-1.5">
      <SpanChips over={[over]} single reading={asOf.reading} onchange={(o) => setParam('over', o[0] ?? null)} />
      {#if dates.length > 1}
        <Choice label="By which date" value={date || (dates.find((c) => c.role === 'day')?.name ?? '')} options={dates.map((c) => ({ value: c.name, label: `by ${c.name.replaceAll('_', ' ')}` }))} onchoose={(v) => setParam('date', dates.find((c) => c.name === v)?.role === 'day' ? null : v)} />
      {/if}
    </div>
    <span class="text-quiet">Where</span>
    <Filters {dataset} />
    <span class="text-quiet">Show</span>
    <div class="flex flex-wrap items-center gap-2">
      <ToggleGroup.Root type="single" value={view} onValueChange={(v) => setParam('view', v === 'edges' ? 'edges' : null)} class="flex gap-1.5" aria-label="Show">
        <ToggleGroup.Item value="list" class={['chip', view === 'list' ? 'chip-on' : 'text-quiet']}>all records</ToggleGroup.Item>
        <ToggleGroup.Item value="edges" class={['chip', view === 'edges' ? 'chip-on' : 'text-quiet']}>edges of the span</ToggleGroup.Item>
      </ToggleGroup.Root>
      {#if view === 'list'}
        <Choice label="Order" value={order} options={[{ value: 'newest', label: 'newest first' }, { value: 'oldest', label: 'oldest first' }]} onchoose={(v) => setParam('order', v === 'oldest' ? v : null)} />
        <Choice label="Running sum" value={running || 'none'} options={[{ value: 'none', label: 'no running sum' }, ...amounts.map((c) => ({ value: c.name, label: `running sum of ${c.name.replaceAll('_', ' ')}` }))]} onchoose={(v) => setParam('running', v === 'none' ? null : v)} />
      {/if}
      <a class="button" href={download} download={`${dataset.name}.csv`}><Download class="size-3.5" aria-hidden="true" />All as CSV</a>
    </div>
  </section>

  {#if page.isError}
    <Trouble error={page.error} again={() => void page.refetch()} />
  {:else if !page.data}
    <div class="card h-96 animate-pulse" aria-busy="true" aria-label="Loading records"></div>
  {:else}
    {@const p = page.data}
    <div class="mb-2.5 flex flex-wrap items-baseline gap-x-5 gap-y-1">
      <p><span class="text-quiet">As of</span> <b class="font-semibold">{long(p.as_of)}</b><span class="text-quiet">, by {p.date.replaceAll('_', ' ')}:</span> {ranges(p.intervals)} {#if p.days !== null}<span class="text-quiet">{p.days.toLocaleString('en')} {p.days === 1 ? 'day' : 'days'}</span>{/if}</p>
      <p><b class="font-semibold" data-count>{p.count.toLocaleString('en')}</b> <span class="text-quiet">records</span></p>
      {#each p.sums as s (s.column)}
        <p><span class="text-quiet">sum of {s.column.replaceAll('_', ' ')}</span> <b class="font-semibold" data-sum={s.column}>{grouped(s.sum)}</b></p>
      {/each}
      {#if p.undated > 0}<p class="text-quiet"><b class="font-semibold text-worse">{p.undated.toLocaleString('en')} with no {p.date.replaceAll('_', ' ')}</b> stand outside</p>{/if}
    </div>
    {#if view === 'edges' && question}
      <Edges question={question.body} dataset={question.dataset} version={question.version} />
    {:else}
      <section {@attach scrolls} class={['card overflow-auto', page.isPlaceholderData && 'opacity-70']} style:max-height="max(20rem, calc(100vh - 21rem))">
        <RecordTable columns={p.columns} records={p.records} date={p.date} running={p.running ? { of: running, values: p.running } : null} />
      </section>
      <div class="mt-2.5 flex flex-wrap items-center gap-2">
        <button class="button" disabled={!after} onclick={() => setParam('after', null)}>First page</button>
        <button class="button" disabled={!after} onclick={() => history.back()}>Back</button>
        <button class="button" disabled={!p.next} onclick={() => setParam('after', p.next ?? null)}>Next page</button>
        <span class="text-quiet">{p.records.length.toLocaleString('en')} of {p.count.toLocaleString('en')}, {order} first{running && !p.next ? '; the running sum ends in the total' : ''}</span>
      </div>
    {/if}
  {/if}
{/if}
