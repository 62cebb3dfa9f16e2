<script lang="ts">
  import type { ItemView } from '../lib/briefs'
  import BarsChart from './BarsChart.svelte'
  import BriefTable from './BriefTable.svelte'
  import FigureCard from './FigureCard.svelte'
  import LinesChart from './LinesChart.svelte'

  let { view }: { view: ItemView } = $props()
</script>

{#if view.error}
  <p class="mt-1" role="status" data-item-error><b class="font-semibold text-worse">Cannot be shown</b> {view.error}</p>
{:else if view.item.kind === 'figure'}
  <FigureCard {view} />
{:else if view.item.kind === 'lines' && view.lineup}
  <LinesChart lineup={view.lineup} planned={(view.item.lines ?? []).map((l) => l.planned ?? false)} title={view.item.title} />
{:else if view.item.kind === 'bars'}
  <BarsChart {view} />
{:else}
  <BriefTable {view} />
{/if}
