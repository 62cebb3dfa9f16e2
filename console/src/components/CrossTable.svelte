<script lang="ts">
  import type { Schemas } from '../lib/api'
  import type { CrossTab } from '../lib/crosstab'
  import { ranges } from '../lib/days'
  import { changeTone, shownChange, shownDigits, wordsOf, type TotalRow } from '../lib/question'

  // One figure of one span: units or a category down, a category across, totals on both edges.
  let { tab, category, link }: { tab: CrossTab; category: string; link?: (span: Schemas['SpanTotal'], row: TotalRow) => string } = $props()
  // Within a card of a brief there are no links, and less room.
  const tight = $derived(link === undefined)
  const pad = $derived(tight ? 'px-2' : 'px-3')
</script>

<table class="w-full" data-crosstab={tab.figure.name}>
  <caption class={[tight ? 'pb-1' : 'px-4 pt-3 pb-1', 'text-left']}>
    <b class="font-semibold">{wordsOf(tab.figure)}</b>{#if tab.figure.unit}<span class="ml-1 text-quiet">in {tab.figure.unit}</span>{/if}
    <span class="ml-2 text-quiet">{tab.span.expression.startsWith('@') ? tab.span.expression.slice(1) : tab.span.expression}, {ranges(tab.span.intervals)}, by {category.replaceAll('_', ' ')}</span>
  </caption>
  <thead>
    <tr class="h-9 border-b border-line text-quiet">
      <th class={[tight ? 'pr-2' : 'px-4', 'text-left font-normal']}>{tab.label.replaceAll('_', ' ')}</th>
      {#each tab.across as c (c)}<th class={[pad, 'text-right font-normal whitespace-nowrap', c === 'all' && 'border-l border-line']}>{c}</th>{/each}
    </tr>
  </thead>
  <tbody>
    {#each tab.down as d, i (d)}
      <tr class={['h-9 align-baseline hover:bg-ahead', d === 'all' ? 'border-t border-quiet font-semibold' : 'border-t border-line/60', tab.ahead[i] && 'bg-ahead text-quiet']}>
        <th class={[tight ? 'pr-2' : 'px-4', 'text-left font-semibold whitespace-nowrap']} scope="row">{d}<span class="ml-1.5 text-2xs font-normal text-quiet">{tab.marks[i]}</span></th>
        {#each tab.across as c (c)}
          {@const row = tab.row(d, c)}
          <td class={[pad, 'py-2 text-right', c === 'all' && 'border-l border-line font-semibold']}>
            {#if row && !row.rest && link}<a class="hover:text-inside hover:underline" href={link(tab.span, row)} title="The records behind this figure">{shownDigits(row.values[tab.at], tab.figure)}</a>{:else}{shownDigits(row?.values[tab.at], tab.figure)}{/if}
            {#each row?.against ?? [] as c, j (j)}<span class={['block text-2xs font-normal', changeTone(c[tab.at], tab.figure) || 'text-quiet']} title={`against ${tab.span.counterparts?.[j]?.against}: ${shownDigits(c[tab.at]?.against, tab.figure)}`}>{shownChange(c[tab.at])}</span>{/each}
          </td>
        {/each}
      </tr>
    {/each}
  </tbody>
</table>
