<script lang="ts">
  import type { Resolution } from '../../api/client'
  import { ranges, totalDays } from '../../lib/days'

  // Why a span has the days it has: each step with the words it comes from.
  let { resolution }: { resolution: Resolution } = $props()
</script>

<table class="w-full">
  <caption class="sr-only">The steps, in the order in which they were done</caption>
  <tbody>
    {#each resolution.steps ?? [] as s, i (i)}
      <tr class="border-b border-dashed border-line last:border-0">
        <th class="py-1.5 text-left font-normal" scope="row" style:padding-left={s.depth * 1.1 + 'rem'}>{s.words}</th>
        {#if s.note}
          <td class="py-1.5 text-right text-quiet" colspan="2">{s.note}</td>
        {:else}
          <td class="py-1.5 text-right">{ranges(s.intervals)}</td>
          <td class="w-14 py-1.5 text-right text-quiet">{totalDays(s.intervals)?.toLocaleString('en') ?? '∞'}</td>
        {/if}
      </tr>
    {/each}
  </tbody>
</table>
