<script lang="ts">
  import type { Schemas } from '../../api/client'
  import { formatNumber } from '../../lib/numbers'
  import { labelText, wordsOf } from '../../lib/query'
  import { scrolls } from '../../ui/scrolls'
  import ChartBox from '../../ui/ChartBox.svelte'

  // The bands of all records as bars, and those of each value of the category as a table.
  let { answer }: { answer: Schemas['AgeingAnswer'] } = $props()

  const all = $derived(answer.groups[answer.groups.length - 1]?.bands ?? [])
  const series = $derived([
    { label: 'records', role: 'inside' as const, values: all.map((b) => b.records), partial: all.map(() => false) },
  ])
</script>

<section class="card p-4" aria-label="Bands" data-bands>
  <ChartBox
    kind="bars"
    title={`Records by ${answer.unit}`}
    labels={all.map((b) => b.band)}
    {series}
    future={-1}
    asOf={answer.as_of}
    height={220}
  />
  <div {@attach scrolls} class="mt-3 overflow-x-auto">
    <table class="w-full">
      <thead>
        <tr class="border-b border-line text-quiet">
          <th class="py-1.5 text-left font-normal" scope="col">{answer.by ? wordsOf(answer.by) : answer.unit}</th>
          {#each all as b (b.band)}<th class="py-1.5 pl-3 text-right font-normal" scope="col">{b.band}</th>{/each}
        </tr>
      </thead>
      <tbody>
        {#each answer.groups as g, i (i)}
          <tr class="border-b border-line/60">
            <th class="py-1.5 text-left font-normal" scope="row">{labelText(g.label)}</th>
            {#each g.bands ?? [] as b (b.band)}
              <td class="py-1.5 pl-3 text-right tabular-nums" data-band={b.band}>{b.records.toLocaleString('en')}</td>
            {/each}
          </tr>
        {/each}
        {#if answer.amount}
          <tr>
            <th class="py-1.5 text-left font-normal" scope="row">sum of {wordsOf(answer.amount)}</th>
            {#each all as b (b.band)}
              <td class="py-1.5 pl-3 text-right tabular-nums">{b.sum === null ? '–' : formatNumber(b.sum)}</td>
            {/each}
          </tr>
        {/if}
      </tbody>
    </table>
  </div>
</section>
