<script lang="ts">
  import { useDatasets } from '../api/queries'
  import { param, setParam } from '../lib/address.svelte'

  const datasets = useDatasets()
  const name = $derived(param('dataset'))
  const others = $derived(datasets.data ?? [])
</script>

<section class="card p-8 text-center" role={name === null ? undefined : 'alert'} data-no-dataset={name ?? undefined}>
  {#if name !== null}
    <h2 class="font-semibold">No dataset is named {name}</h2>
    <p class="mt-1 text-quiet">
      It may have been renamed or removed, or you may not see it.{others.length > 0 ? ' Choose another one:' : ''}
    </p>
    <div class="mt-3 flex flex-wrap justify-center gap-2">
      {#each others as d (d.name)}
        <button class="button" onclick={() => setParam('dataset', d.name)}>{d.name}</button>
      {/each}
    </div>
  {:else}
    <h2 class="font-semibold">There are no records yet</h2>
    <p class="mt-1 text-quiet">
      Load a file: <code class="font-mono">vastspan load NAME FILE.csv --date COLUMN --amount COLUMN</code>
    </p>
  {/if}
</section>
