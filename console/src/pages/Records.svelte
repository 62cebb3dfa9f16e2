<script lang="ts">
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query'
  import DatasetHead from '../components/DatasetHead.svelte'
  import Filters from '../components/Filters.svelte'
  import NoRecords from '../components/NoRecords.svelte'
  import SpanChips from '../components/SpanChips.svelte'
  import Trouble from '../components/Trouble.svelte'
  import { api, data } from '../lib/api'
  import { grouped, long, ranges } from '../lib/days'
  import { toFilters } from '../lib/filters'
  import { currentDataset, useAsOf, useDatasets } from '../lib/queries'
  import { param, params, setParam } from '../lib/state.svelte'

  const limit = 100
  const datasets = useDatasets()
  const asOf = useAsOf()
  const dataset = $derived(currentDataset(datasets.data))
  const over = $derived(param('over') ?? 'all dates')
  const after = $derived(param('after') ?? undefined)

  const question = $derived.by(() => {
    if (!dataset || asOf.reading === null) return null
    return { dataset: dataset.name, version: dataset.version, body: { over, after, limit, where: toFilters(params('where')), ...asOf.reading } }
  })
  const page = createQuery(() => {
    const q = question
    return {
      queryKey: ['records', q],
      queryFn: async () => data(await api.POST('/datasets/{name}/records', { params: { path: { name: q?.dataset ?? '' } }, body: q!.body })),
      enabled: q !== null,
      placeholderData: keepPreviousData,
    }
  })

  // A page belongs to the question it was asked for; another question starts at the newest record.
  let asked = ''
  $effect(() => {
    const now = JSON.stringify([dataset?.name, over, params('where'), asOf.reading])
    if (asked !== '' && asked !== now && param('after') !== null) setParam('after', null, true)
    asked = now
  })

  function csv(): (string | null)[][] {
    const p = page.data
    return p ? [p.columns.map((c) => c.name), ...p.records] : []
  }
</script>

<DatasetHead title="Records" {dataset} datasets={datasets.data ?? []} rows={csv} />

{#if datasets.isError}
  <Trouble error={datasets.error} again={() => void datasets.refetch()} />
{:else if datasets.isSuccess && !dataset}
  <NoRecords />
{:else if dataset}
  <section class="card mb-3.5 grid gap-x-4 gap-y-2.5 p-4 sm:grid-cols-[5.5rem_1fr] sm:items-center" aria-label="Which records">
    <span class="text-quiet">Over</span>
    <SpanChips over={[over]} single reading={asOf.reading} onchange={(o) => setParam('over', o[0] ?? null)} />
    <span class="text-quiet">Where</span>
    <Filters {dataset} />
  </section>

  {#if page.isError}
    <Trouble error={page.error} again={() => void page.refetch()} />
  {:else if !page.data}
    <div class="card h-96 animate-pulse" aria-busy="true" aria-label="Loading records"></div>
  {:else}
    {@const p = page.data}
    <div class="mb-2.5 flex flex-wrap items-baseline gap-x-5 gap-y-1">
      <p><span class="text-quiet">As of</span> <b class="font-semibold">{long(p.as_of)}</b><span class="text-quiet">:</span> {ranges(p.intervals)} {#if p.days !== null}<span class="text-quiet">{p.days.toLocaleString('en')} {p.days === 1 ? 'day' : 'days'}</span>{/if}</p>
      <p><b class="font-semibold" data-count>{p.count.toLocaleString('en')}</b> <span class="text-quiet">records</span></p>
      {#each p.sums as s (s.column)}
        <p><span class="text-quiet">sum of {s.column.replaceAll('_', ' ')}</span> <b class="font-semibold" data-sum={s.column}>{grouped(s.sum)}</b></p>
      {/each}
      {#if p.undated > 0}<p class="text-quiet"><b class="font-semibold text-worse">{p.undated} without a day</b> stand outside</p>{/if}
    </div>
    <section class={['card overflow-auto', page.isPlaceholderData && 'opacity-70']} style:max-height="max(20rem, calc(100vh - 18.5rem))">
      <table class="w-full" data-records>
        <thead class="sticky top-0 bg-card">
          <tr class="h-9 border-b border-line text-quiet">
            {#each p.columns as c (c.name)}
              <th class={['px-4 font-normal whitespace-nowrap', c.type === 'number' ? 'text-right' : 'text-left']}>
                {c.name.replaceAll('_', ' ')}{#if c.role === 'day'}<span class="ml-1.5 inline-block size-1.5 rounded-full bg-inside align-middle" title="The day by which records are chosen"></span>{/if}
              </th>
            {/each}
          </tr>
        </thead>
        <tbody>
          {#each p.records as r, i (i)}
            <tr class="h-8 border-t border-line/60 hover:bg-ahead">
              {#each r as v, j (j)}
                {@const c = p.columns[j]}
                <td class={['px-4 whitespace-nowrap', c?.type === 'number' && 'text-right', v === null && 'text-quiet']}>{c?.type === 'number' ? grouped(v) : c?.type === 'date' && v ? long(v) : (v ?? '–')}</td>
              {/each}
            </tr>
          {:else}
            <tr><td class="p-6 text-center text-quiet" colspan={p.columns.length}>No records lie in these days.</td></tr>
          {/each}
        </tbody>
      </table>
    </section>
    <div class="mt-2.5 flex items-center gap-2">
      <button class="button" disabled={!after} onclick={() => setParam('after', null)}>Newest</button>
      <button class="button" disabled={!after} onclick={() => history.back()}>Back</button>
      <button class="button" disabled={!p.next} onclick={() => setParam('after', p.next ?? null)}>Older</button>
      <span class="text-quiet">{p.records.length.toLocaleString('en')} of {p.count.toLocaleString('en')}, newest first</span>
    </div>
  {/if}
{/if}
