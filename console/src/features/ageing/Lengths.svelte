<script lang="ts">
  import type { Schemas } from '../../api/client'
  import { formatNumber } from '../../lib/numbers'
  import { labelText, wordsOf } from '../../lib/query'
  import { scrolls } from '../../ui/scrolls'

  // How long the records of each value of the category last, and all of them.
  let { answer, bare = false }: { answer: Schemas['AgeingAnswer']; bare?: boolean } = $props()

  const shown = (v: string | null | undefined) => (v === null || v === undefined ? '–' : formatNumber(v))
  const percent = (v: string | null | undefined) =>
    v === null || v === undefined ? '–' : `${(Number(v) * 100).toFixed(1)}%`
</script>

<section {@attach scrolls} class={bare ? 'mt-1 overflow-x-auto' : 'card mb-3.5 overflow-x-auto'} aria-label="Lengths">
  <table class="w-full" data-lengths>
    <thead>
      <tr class="border-b border-line text-left text-quiet">
        {#if answer.by}<th class="px-3 py-2 font-normal" scope="col">{wordsOf(answer.by)}</th>{/if}
        {#each ['records', 'open', 'closed', 'mean', 'median', '90th percentile', 'longest'] as name (name)}
          <th class="px-3 py-2 text-right font-normal" scope="col">{name}</th>
        {/each}
        {#if answer.within !== undefined}<th class="px-3 py-2 text-right font-normal" scope="col"
            >within {answer.within} {answer.unit}</th
          >{/if}
      </tr>
    </thead>
    <tbody>
      {#each answer.groups as g, i (i)}
        {@const last = i === answer.groups.length - 1}
        <tr
          class={[
            'border-b border-line/60 last:border-0',
            last && answer.by && 'border-t border-t-quiet font-semibold',
          ]}
        >
          {#if answer.by}<th class="px-3 py-2 text-left font-[inherit]" scope="row">{labelText(g.label)}</th>{/if}
          <td class="px-3 py-2 text-right tabular-nums" data-records>{g.records.toLocaleString('en')}</td>
          <td class="px-3 py-2 text-right tabular-nums">{g.open.toLocaleString('en')}</td>
          <td class="px-3 py-2 text-right tabular-nums">{g.closed.toLocaleString('en')}</td>
          <td class="px-3 py-2 text-right tabular-nums">{shown(g.mean)}</td>
          <td class="px-3 py-2 text-right tabular-nums">{shown(g.median)}</td>
          <td class="px-3 py-2 text-right tabular-nums">{shown(g.percentile_90)}</td>
          <td class="px-3 py-2 text-right tabular-nums">{shown(g.longest)}</td>
          {#if answer.within !== undefined}<td class="px-3 py-2 text-right tabular-nums">{percent(g.within_share)}</td
            >{/if}
        </tr>
      {/each}
    </tbody>
  </table>
</section>
