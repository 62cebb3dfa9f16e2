<script lang="ts">
  import type { Snippet } from 'svelte'
  import type { Dataset } from '../api/client'
  import { setParam } from '../lib/address.svelte'
  import { countRecords } from '../lib/numbers'
  import KeptIn from './KeptIn.svelte'
  import Select from './Select.svelte'
  import TableTools from './TableTools.svelte'
  import type { Take } from './DownloadMenu.svelte'

  // The head of a page about a dataset: its name, the choice of another, what the table offers.
  let {
    title,
    dataset,
    datasets,
    csv,
    take,
    tools,
  }: {
    title: string
    dataset: Dataset | undefined
    datasets: Dataset[]
    csv?: (() => string | Promise<string>) | undefined
    take?: Take | undefined
    tools?: Snippet
  } = $props()
</script>

<svelte:head><title>{title} · Vast Span</title></svelte:head>

<div class="mb-2.5 flex flex-wrap items-center gap-3">
  <h1 class="text-xl font-semibold tracking-tight">{title}</h1>
  {#if dataset}
    <Select
      label="Dataset"
      value={dataset.name}
      options={datasets.map((d) => ({
        value: d.name,
        label: d.name,
        hint: d.trouble ? 'not known just now' : countRecords(d.records),
      }))}
      onchoose={(v) => setParam('dataset', v)}
    />
    <KeptIn {dataset} />
  {/if}
  <div class="ml-auto flex flex-wrap items-center gap-2">{@render tools?.()}<TableTools {csv} {take} /></div>
</div>
