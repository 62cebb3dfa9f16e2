<script lang="ts">
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query'
  import { api, data, type Filter } from '../lib/api'
  import { long } from '../lib/days'
  import { scrolls } from '../lib/scrolls'
  import RecordTable from './RecordTable.svelte'
  import Trouble from './Trouble.svelte'

  // The records on both sides of each edge of a span: what is just in and what is just out.
  let { dataset, version, question }: { dataset: string; version: number; question: { over: string; where: Filter[]; date?: string; as_of: string; at_close: boolean; calendar: string } } = $props()

  const each = 4
  const edges = createQuery(() => ({
    queryKey: ['edges', dataset, version, question],
    queryFn: async () => data(await api.POST('/datasets/{name}/edges', { params: { path: { name: dataset } }, body: { ...question, records: each } })),
    placeholderData: keepPreviousData,
  }))
</script>

{#if edges.isError}
  <Trouble error={edges.error} again={() => void edges.refetch()} />
{:else if !edges.data}
  <div class="card h-64 animate-pulse" aria-busy="true" aria-label="Loading the edges"></div>
{:else}
  {@const e = edges.data}
  {#each e.edges as edge (edge.day + String(edge.begins))}
    <section class="card mb-3.5 overflow-x-auto" data-edge={edge.day} {@attach scrolls}>
      <h2 class="px-4 pt-3 pb-1"><b class="font-semibold">{edge.begins ? `Begins on ${long(edge.day)}` : `Ended by ${long(edge.day)}`}</b></h2>
      {#each [{ records: edge.before, inside: !edge.begins, words: 'before' }, { records: edge.from, inside: edge.begins, words: 'from this day on' }] as side (side.words)}
        <div class={['border-l-4', side.inside ? 'border-inside bg-inside-wash' : 'border-line']}>
          <p class="px-4 pt-1.5 text-2xs text-quiet">{side.inside ? 'inside' : 'outside'}, {side.words}</p>
          <RecordTable columns={e.columns} records={side.records} date={e.date} even headless={side.words !== 'before'} />
        </div>
      {/each}
    </section>
  {:else}
    <p class="card p-6 text-center text-quiet">This span is open on both sides: it has no edges.</p>
  {/each}
{/if}
