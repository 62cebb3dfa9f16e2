<script lang="ts">
  import type { ItemView } from '../lib/briefs'
  import { outer } from '../lib/days'
  import { changeTone, shownChange, shownDigits } from '../lib/question'
  import Spark from './Spark.svelte'

  let { view }: { view: ItemView } = $props()

  const span = $derived(view.total?.spans[0])
  const figure = $derived(view.total?.figures[0])
  const comparison = $derived(span?.total.against?.[0]?.[0])
  const counterpart = $derived(span?.counterparts?.[0])
  const value = $derived(figure ? shownDigits(span?.total.values[0], figure) : '–')
  const signed = $derived(comparison?.difference && figure ? (comparison.direction === 'up' ? '+' : '') + shownDigits(comparison.difference, figure) : '')
  const words = (text: string) => text.replace(/^1 (\w+) earlier$/, 'a $1 earlier')
</script>

{#if span && figure}
  <p class="text-quiet" data-card-days>{outer(span.intervals)}{span.days === null ? '' : ` · ${span.days.toLocaleString('en')} ${span.days === 1 ? 'day' : 'days'}`}</p>
  <div class="mt-1 flex items-end justify-between gap-1.5">
    <p class={['font-semibold tracking-tight tabular-nums', value.length > 14 ? 'text-base' : 'text-[1.375rem] leading-7']} data-card-value>{value}{#if figure.unit}<span class="ml-1 text-2xs font-normal text-quiet">{figure.unit}</span>{/if}</p>
    {#if view.spark && view.spark.length > 1}<Spark rows={view.spark} />{/if}
  </div>
  {#if counterpart}
    <p class="mt-1" data-card-change>
      <span class={['font-semibold', changeTone(comparison, figure)]}>{shownChange(comparison)}</span>
      <span class="text-quiet" title={`difference ${signed}`}>{signed ? `${signed}, ` : ''}from {shownDigits(comparison?.against, figure)}, {words(counterpart.against)}</span>
    </p>
    {#if counterpart.uneven}<p class="mt-1 text-2xs"><b class="font-semibold text-worse">Uneven</b> <span class="text-quiet">{counterpart.uneven}</span></p>{/if}
  {/if}
{/if}
