<script lang="ts">
  import type { Snippet } from 'svelte'
  import type { Dataset } from '../lib/api'
  import { setParam } from '../lib/state.svelte'
  import Choice from './Choice.svelte'
  import TableTools from './TableTools.svelte'

  // The head of a page about a dataset: its name, the choice of another, what the table offers.
  let { title, dataset, datasets, rows, tools }: { title: string; dataset: Dataset | undefined; datasets: Dataset[]; rows: () => (string | null)[][]; tools?: Snippet } = $props()
</script>

<svelte:head><title>{title} · Vast Span</title></svelte:head>

<div class="mb-2.5 flex flex-wrap items-center gap-3">
  <h1 class="text-xl font-semibold tracking-tight">{title}</h1>
  {#if dataset}
    <Choice label="Dataset" value={dataset.name} options={datasets.map((d) => ({ value: d.name, label: d.name, hint: `${d.records.toLocaleString('en')} records` }))} onchoose={(v) => setParam('dataset', v)} />
  {/if}
  <div class="ml-auto flex flex-wrap items-center gap-2">{@render tools?.()}<TableTools {rows} /></div>
</div>
