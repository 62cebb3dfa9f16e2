<script lang="ts">
  import { outer } from '../../lib/days'
  import { extent, outerTimes, size } from '../../lib/moments'
  import { countDays, formatCell, formatChange, formatNumber, sign, toneOf } from '../../lib/numbers'
  import { useFigureKinds } from '../../api/queries'
  import { contextOf, driversPage, recordsPage } from '../../lib/links'
  import { groupRows, wholeRow } from '../../lib/query'
  import type { ItemView } from './briefs'
  import Spark from './Spark.svelte'

  let { view }: { view: ItemView } = $props()

  const table = $derived(view.answer?.tables[0])
  const span = $derived(view.answer?.spans[0])
  const row = $derived(wholeRow(table))
  const own = $derived(table?.columns[0])
  const value = $derived(own && row ? formatCell(own, row.cells[0]) : formatNumber(null))
  const comparison = $derived(span?.comparisons?.[0])
  // The columns of the first comparison follow the figure: counterpart, difference, change.
  const counterpart = $derived(own && row ? formatCell(own, row.cells[1]) : '')
  const difference = $derived(row?.cells[2] ?? null)
  const signed = $derived(difference && own ? (sign(difference) > 0 ? '+' : '') + formatCell(own, difference) : '')
  const change = $derived(row?.cells[3] ?? null)
  const words = (text: string) => text.replace(/^1 (\w+) earlier$/, 'a $1 earlier')
  const kinds = useFigureKinds()
  const recordsOf = (at: number) => {
    const [a, column] = [view.answer, table?.columns[at]]
    return a && table && row && column ? recordsPage(a, table, row, column, contextOf(a.query), kinds.parse) : null
  }
  const behind = $derived(recordsOf(0))
  const why = $derived.by(() => {
    const [a, column] = [view.answer, table?.columns[3]]
    return a && table && row && column ? driversPage(a, table, row, column, contextOf(a.query), kinds.parse) : null
  })
  const compared = $derived(recordsOf(1))
  const trend = $derived(groupRows(view.spark?.tables[0]))
</script>

{#if span && own}
  <p class="text-quiet" data-card-days>
    {#if span.moments}<span title={extent(span)}>{outerTimes(span.moments)}</span> · {size(span)}
    {:else}{outer(span.intervals)}{span.days === null ? '' : ` · ${countDays(span.days)}`}{/if}
  </p>
  <div class="mt-1 flex items-end justify-between gap-1.5">
    <p
      class={[
        'font-semibold tracking-tight tabular-nums',
        value.length > 14 ? 'text-base' : 'text-[1.375rem] leading-7',
      ]}
      data-card-value
    >
      {@render linked(value, behind, 'The records behind this figure')}{#if own.unit}<span
          class="ml-1 text-2xs font-normal text-quiet">{own.unit}</span
        >{/if}
    </p>
    {#if trend.length > 1}<Spark rows={trend} />{/if}
  </div>
  {#if comparison}
    <p class="mt-1" data-card-change>
      {#if why}<a
          class={['font-semibold hover:underline', toneOf(own, change)]}
          href={why}
          title="Why? What this change is made of"
          data-why>{formatChange(change)}</a
        >{:else}<span class={['font-semibold', toneOf(own, change)]}>{formatChange(change)}</span>{/if}
      <span class="text-quiet" title={`difference ${signed}`}>
        {signed ? `${signed}, ` : ''}from {@render linked(
          counterpart,
          compared,
          'The records that it is compared with',
        )}, {words(comparison.name)}
      </span>
    </p>
  {/if}
{/if}

{#snippet linked(text: string, to: string | null, title: string)}
  {#if to}<a
      class="underline decoration-line underline-offset-2 hover:text-inside hover:decoration-current"
      href={to}
      {title}>{text}</a
    >{:else}{text}{/if}
{/snippet}
