<script lang="ts">
  import type { ItemView } from '../lib/briefs'
  import type { Series } from '../lib/chart'
  import { wordsOf } from '../lib/question'
  import ChartBox from './ChartBox.svelte'

  let { view, height = 250 }: { view: ItemView; height?: number } = $props()

  const span = $derived(view.total?.spans[0])
  const rows = $derived(span?.rows ?? [])
  const number = (v: string | null | undefined) => (v === null || v === undefined ? null : Number(v))
  const series = $derived<Series[]>([
    {
      label: view.total?.figures[0] ? wordsOf(view.total.figures[0]) : '',
      role: 'inside',
      values: rows.map((r) => number(view.item.running ? r.running?.[0] : r.values[0])),
      partial: rows.map((r) => Boolean(r.unit?.partial || r.unit?.in_progress)),
    },
    ...(span?.counterparts ?? []).map(
      (c, i): Series => ({ label: c.against, role: c.dataset ? 'plan' : i === 0 ? 'counterpart' : 'other', values: rows.map((r) => number(r.against?.[i]?.[0]?.against)), partial: rows.map(() => false) }),
    ),
  ])
</script>

{#if view.total && span}
  <ChartBox kind="bars" title={view.item.title} labels={rows.map((r) => r.unit?.label.replace(/ \d{4}$/, '') ?? '')} {series} ahead={rows.findIndex((r) => r.unit?.ahead)} asOf={view.total.as_of} {height} />
  {#each (span.counterparts ?? []).filter((c) => c.uneven) as c, i (i)}
    <p class="mt-1 text-2xs"><b class="font-semibold text-worse">Uneven</b> <span class="text-quiet">against {c.against}: {c.uneven}</span></p>
  {/each}
{/if}
