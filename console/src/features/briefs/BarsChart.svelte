<script lang="ts">
  import { cellAt, groupRows, isFuture, isUnfinished } from '../../lib/query'
  import type { Series } from '../../ui/chart'
  import ChartBox from '../../ui/ChartBox.svelte'
  import { allOccurrences, marksOf, useEventLists } from '../events/events'
  import { daysOf } from '../totals/drawing'
  import type { ItemView } from './briefs'

  let { view, height = 250 }: { view: ItemView; height?: number } = $props()

  const table = $derived(view.answer?.tables[0])
  const rows = $derived(groupRows(table))
  const main = $derived(view.item.running ? 'running' : 'figure')
  const number = (v: string | null | undefined) => (v === null || v === undefined ? null : Number(v))
  const title = $derived(table?.columns.find((c) => c.role === main)?.title ?? '')
  const series = $derived<Series[]>([
    {
      label: title,
      role: 'inside',
      values: rows.map((r) => number(cellAt(table, r, (c) => c.role === main))),
      partial: rows.map(isUnfinished),
    },
    ...(view.answer?.spans[0]?.comparisons ?? []).map((one, i): Series => ({
      label: one.name,
      role: one.dataset ? 'plan' : i === 0 ? 'counterpart' : 'other',
      values: rows.map((r) => number(cellAt(table, r, (c) => c.role === 'counterpart' && c.comparison === one.name))),
      partial: rows.map(() => false),
    })),
  ])
  const lists = useEventLists()
  const marks = $derived(marksOf(allOccurrences(lists.data), rows.map(daysOf)))
  const labels = $derived(rows.map((r) => r.unit?.label.replace(/ \d{4}$/, '') ?? ''))
</script>

{#if view.answer}
  <ChartBox
    kind="bars"
    title={view.item.title}
    {labels}
    {series}
    future={rows.findIndex(isFuture)}
    asOf={view.answer.as_of}
    {marks}
    {height}
  />
{/if}
