<script lang="ts">
  import type { ItemView } from '../lib/briefs'
  import { crossTabs } from '../lib/crosstab'
  import { outer } from '../lib/days'
  import { changeTone, figureColumns, groupLabel, marks, shownChange, shownDigits, shownShare } from '../lib/question'
  import { scrolls } from '../lib/scrolls'
  import CrossTable from './CrossTable.svelte'

  let { view }: { view: ItemView } = $props()

  const total = $derived(view.total)
  const columns = $derived(total ? figureColumns(total, { running: view.item.running ?? '', rolling: view.item.rolling ?? 0 }).filter((c) => c.head !== 'difference') : [])
  const units = $derived(total?.spans.some((s) => s.rows.some((r) => r.unit)) ?? false)
  const across = $derived(view.item.across ?? '')
</script>

{#if total}
  {#if across && total.by.includes(across) && total.spans[0]?.edges}
    {#each total.spans.flatMap((s) => crossTabs(total, s, across)) as tab, i (i)}
      <div class="overflow-x-auto" {@attach scrolls}><CrossTable {tab} category={across} /></div>
    {/each}
  {:else}
    <p class="text-quiet">{total.spans.map((s) => outer(s.intervals)).join('; ')}</p>
    <div class="overflow-x-auto" {@attach scrolls}>
      <table class="w-full" data-brief-table>
        <thead>
          <tr class="h-8 border-b border-line text-quiet">
            {#if total.spans.length > 1}<th class="pr-3 text-left font-normal">span</th>{/if}
            {#if units}<th class="pr-3 text-left font-normal">unit</th>{/if}
            {#each total.by as c (c)}<th class="pr-3 text-left font-normal">{c.replaceAll('_', ' ')}</th>{/each}
            {#each columns as c (c.name)}<th class="pl-3 text-right font-normal whitespace-nowrap">{c.head}</th>{/each}
          </tr>
        </thead>
        <tbody>
          {#each total.spans as s, k (k)}
            {#each [...s.rows.map((row) => ({ row, all: false })), ...(total.by.length > 0 || units ? [{ row: s.total, all: true }] : [])] as r, i (i)}
              <tr class={['h-8', r.all ? 'border-t border-quiet font-semibold' : 'border-t border-line/60', r.row.unit?.ahead && 'bg-ahead text-quiet']}>
                {#if total.spans.length > 1}<td class="pr-3 whitespace-nowrap">{i === 0 ? s.expression.replace(/^@/, '') : ''}</td>{/if}
                {#if units}<td class="pr-3 whitespace-nowrap">{r.all ? 'all' : r.row.unit?.label}<span class="ml-1 text-2xs text-quiet">{marks(r.row.unit)}</span></td>{/if}
                {#each total.by as c, j (c)}<td class="pr-3 whitespace-nowrap">{r.all ? (j === 0 && !units ? 'all' : '') : groupLabel(total, r.row, j)}</td>{/each}
                {#each columns as c (c.name)}
                  {@const compared = c.comparison?.(r.row)}
                  <td class={['pl-3 text-right whitespace-nowrap', c.role === 'change' && changeTone(compared, c.figure), !c.own && c.role !== 'change' && 'text-quiet']}>
                    {c.role === 'change' ? (compared ? shownChange(compared) : '') : c.role === 'share' ? shownShare(c.value(r.row)) : shownDigits(c.value(r.row), c.figure)}
                  </td>
                {/each}
              </tr>
            {/each}
          {/each}
        </tbody>
      </table>
    </div>
    {#each total.spans.flatMap((s) => s.counterparts ?? []).filter((c) => c.uneven) as c, i (i)}
      <p class="mt-1 text-2xs"><b class="font-semibold text-worse">Uneven</b> <span class="text-quiet">against {c.against}: {c.uneven}</span></p>
    {/each}
  {/if}
{/if}
