<script lang="ts">
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query'
  import { api, data, type Schemas } from '../../api/client'
  import { long } from '../../lib/days'
  import { moment } from '../../lib/moments'
  import { scrolls } from '../../ui/scrolls'
  import RecordTable from './RecordTable.svelte'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'

  // The records on both sides of each boundary of a span: what is just in and what is just out.
  interface Props {
    version: number
    asked: {
      dataset: string
      over: string
      where: string[]
      date?: string
      as_of: string
      at_close: boolean
      calendar: string
    }
  }
  let { version, asked }: Props = $props()

  const each = 4
  const boundaries = createQuery(() => ({
    queryKey: ['boundaries', version, asked],
    queryFn: async () => data(await api.POST('/records/boundaries', { body: { ...asked, records: each } })),
    placeholderData: keepPreviousData,
  }))

  const sidesOf = (b: Schemas['Boundary']) => [
    { records: b.before, inside: !b.begins, words: 'before' },
    { records: b.from, inside: b.begins, words: b.at ? 'from this moment on' : 'from this day on' },
  ]
</script>

{#if boundaries.isError}
  <ErrorPanel error={boundaries.error} retry={() => void boundaries.refetch()} />
{:else if !boundaries.data}
  <div class="card h-64 animate-pulse" aria-busy="true" aria-label="Loading the boundaries"></div>
{:else}
  {@const e = boundaries.data}
  {#each e.boundaries as boundary ((boundary.at ?? boundary.day) + String(boundary.begins))}
    {@const at = boundary.at ? moment(boundary.at) : long(boundary.day)}
    <section class="card mb-3.5 overflow-x-auto" data-boundary={boundary.day} {@attach scrolls}>
      <h2 class="px-4 pt-3 pb-1">
        <b class="font-semibold">{boundary.begins ? `Begins ${boundary.at ? 'at' : 'on'} ${at}` : `Ended by ${at}`}</b>
      </h2>
      {#each sidesOf(boundary) as side (side.words)}
        <div class={['border-l-4', side.inside ? 'border-inside bg-inside-wash' : 'border-line']}>
          <p class="px-4 pt-1.5 text-2xs text-quiet">{side.inside ? 'inside' : 'outside'}, {side.words}</p>
          <RecordTable
            columns={e.columns}
            records={side.records}
            date={e.date}
            even
            headless={side.words !== 'before'}
          />
        </div>
      {/each}
    </section>
  {:else}
    <p class="card p-6 text-center text-quiet">This span is open on both sides: it has no boundaries.</p>
  {/each}
{/if}
