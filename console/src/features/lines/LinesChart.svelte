<script lang="ts">
  import type { Schemas } from '../../api/client'
  import type { Series } from '../../ui/chart'
  import ChartBox from '../../ui/ChartBox.svelte'
  import { allOccurrences, marksOf, useEventLists } from '../events/events'
  import { daysOf } from '../totals/drawing'

  interface Props {
    lineup: Schemas['Lineup']
    planned: boolean[]
    title: string
    height?: number
  }
  let { lineup, planned, title, height = 250 }: Props = $props()

  const table = $derived(lineup.table)
  const rows = $derived(table.rows.filter((r) => r.kind === 'group'))
  // The first line is the one the page is about; planned ones are told apart, and the next is its
  // counterpart.
  const counterpart = $derived(lineup.lines.findIndex((_, i) => i > 0 && !planned[i]))
  const roleOf = (i: number): Series['role'] =>
    planned[i] ? 'plan' : i === 0 ? 'inside' : i === counterpart ? 'counterpart' : 'other'
  const series = $derived<Series[]>(
    lineup.lines.map((l, i) => {
      const at = table.columns.findIndex((c) => c.figure === i && c.role !== 'change')
      const flags = rows.map((r) => r.cell_flags?.[at] ?? [])
      return {
        label: l.label,
        role: roleOf(i),
        values: rows.map((r) => (r.cells[at] ? Number(r.cells[at]) : null)),
        partial: flags.map((f) => f.includes('partial') || (f.includes('in progress') && !planned[i])),
      }
    }),
  )
  // The events are those of the first line's days: the others are of other years.
  const lists = useEventLists()
  const own = $derived(lineup.lines[0]?.tables[0]?.rows.filter((r) => r.unit !== undefined) ?? [])
  const marks = $derived(
    marksOf(
      allOccurrences(lists.data),
      rows.map((r) => {
        const row = own.find((o) => o.unit?.first_day === r.unit?.first_day)
        return row ? daysOf(row) : null
      }),
    ),
  )
  const future = $derived(rows.findIndex((r) => r.cell_flags?.some((f) => f?.includes('future'))))
</script>

<ChartBox
  kind="lines"
  {title}
  labels={rows.map((r) => r.unit?.label ?? '')}
  {series}
  {future}
  {marks}
  asOf={lineup.as_of}
  {height}
/>
