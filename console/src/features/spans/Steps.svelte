<script lang="ts">
  import type { Resolution } from '../../api/client'
  import { extent, size } from '../../lib/moments'

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
          <td class="py-1.5 text-right">{extent(s)}</td>
          <td class="py-1.5 pl-3 text-right whitespace-nowrap text-quiet">{size(s) || '∞'}</td>
        {/if}
      </tr>
    {/each}
  </tbody>
</table>
