<script lang="ts">
  import type { Schemas } from '../lib/api'
  import type { Series } from '../lib/chart'
  import { wordsOf, type TotalRow } from '../lib/question'
  import ChartBox from './ChartBox.svelte'

  let { lineup, planned, title, height = 250 }: { lineup: Schemas['Lineup']; planned: boolean[]; title: string; height?: number } = $props()

  const value = (r: TotalRow | null) => {
    const text = !r ? null : lineup.running ? r.running?.[0] : r.values[0]
    return text === null || text === undefined ? null : Number(text)
  }
  // The first line is the one the page is about; planned ones are told apart, and the next is its
  // counterpart.
  const counterpart = $derived(lineup.lines.findIndex((_, i) => i > 0 && !planned[i]))
  const series = $derived<Series[]>(
    lineup.lines.map((l, i) => ({
      label: l.label,
      role: planned[i] ? 'plan' : i === 0 ? 'inside' : i === counterpart ? 'counterpart' : 'other',
      values: lineup.positions.map((p) => value(p.rows[i] ?? null)),
      partial: lineup.positions.map((p) => Boolean(p.rows[i]?.unit?.partial || (p.rows[i]?.unit?.in_progress && !planned[i]))),
    })),
  )
  // Ahead begins after the last position that the first line has reached.
  const ahead = $derived.by(() => {
    const marked = lineup.positions.findIndex((p) => p.rows.some((r) => r?.unit?.ahead))
    if (marked >= 0) return marked
    return -1
  })
</script>

<p class="sr-only">{lineup.lines.map((l) => `${l.label}: ${l.total.figures[0] ? wordsOf(l.total.figures[0]) : ''}`).join('; ')}</p>
<ChartBox kind="lines" {title} labels={lineup.positions.map((p) => p.label)} {series} {ahead} asOf={lineup.as_of} {height} />
