<script lang="ts">
  import type { Schemas } from '../../api/client'
  import { long } from '../../lib/days'
  import { formatNumber } from '../../lib/numbers'

  let {
    columns,
    records,
    date,
    running = null,
    headless = false,
    even = false,
  }: {
    columns: Schemas['Column'][]
    records: (string | null)[][]
    date: string
    running?: { of: string; values: (string | null)[] } | null
    headless?: boolean
    even?: boolean
  } = $props()

  const shown = (c: Schemas['Column'] | undefined, v: string | null) =>
    c?.type === 'number' ? formatNumber(v) : c?.type === 'date' && v ? long(v) : (v ?? '–')
</script>

<table class={['w-full', even && 'min-w-[46rem] table-fixed']} data-records>
  <thead class={headless ? 'sr-only' : 'sticky top-0 bg-card'}>
    <tr class="h-9 border-b border-line text-quiet">
      {#each columns as c (c.name)}
        <th class={['px-4 font-normal whitespace-nowrap', c.type === 'number' ? 'text-right' : 'text-left']}>
          {c.name.replaceAll('_', ' ')}{#if c.unit}<span class="ml-1 text-2xs">{c.unit}</span
            >{/if}{#if c.name === date}<span
              class="ml-1.5 inline-block size-1.5 rounded-full bg-inside align-middle"
              title="The day by which records are chosen"
            ></span>{/if}
        </th>
      {/each}
      {#if running}<th class="px-4 text-right font-normal whitespace-nowrap"
          >running sum of {running.of.replaceAll('_', ' ')}</th
        >{/if}
    </tr>
  </thead>
  <tbody>
    {#each records as r, i (i)}
      <tr class="h-8 border-t border-line/60 hover:bg-ahead">
        {#each r as v, j (j)}
          {@const c = columns[j]}
          <td class={['px-4 whitespace-nowrap', c?.type === 'number' && 'text-right', v === null && 'text-quiet']}
            >{shown(c, v)}</td
          >
        {/each}
        {#if running}<td class="px-4 text-right font-semibold" data-running>{formatNumber(running.values[i])}</td>{/if}
      </tr>
    {:else}
      <tr
        ><td class="p-6 text-center text-quiet" colspan={columns.length + (running ? 1 : 0)}
          >No records in these days.</td
        ></tr
      >
    {/each}
  </tbody>
</table>
