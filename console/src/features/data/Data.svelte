<script lang="ts">
  import Database from '@lucide/svelte/icons/database'
  import Upload from '@lucide/svelte/icons/upload'
  import { useDatabases, useDatasets } from '../../api/queries'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'
  import { may, useSession } from '../access/session'
  import AttachTable from './AttachTable.svelte'
  import DatasetCard from './DatasetCard.svelte'
  import LoadFiles from './LoadFiles.svelte'
  import RemovedDatasets from './RemovedDatasets.svelte'
  import { dismiss, uploads } from './uploads.svelte'

  // Files come in here, and datasets are looked after.
  const datasets = useDatasets()
  const session = useSession()
  const databases = useDatabases(() => may(session.data, 'analyst'))
  let attaching = $state(false)
  let files = $state<File[]>([])
  let over = $state(false)
  let turn = $state(0)
  let here = $state(0) // the upload that the form below shows itself

  function take(list: FileList | null | undefined) {
    over = false
    if (list && list.length > 0) {
      files = [...list]
      turn++
    }
  }
  const empty = $derived(datasets.data?.length === 0)
</script>

<svelte:head><title>Datasets · Vast Span</title></svelte:head>

<div class="mb-2.5 flex flex-wrap items-center gap-3">
  <h1 class="text-xl font-semibold tracking-tight">Datasets</h1>
  <span class="text-quiet"
    >load files here; every load can be undone. Tables of other databases are attached where they are.</span
  >
  {#if (databases.data?.length ?? 0) > 0 && !attaching}
    <button class="button for-administrator ml-auto" onclick={() => (attaching = true)}
      ><Database class="size-3.5" aria-hidden="true" />Attach a table…</button
    >
  {/if}
</div>

{#if attaching}
  <div><AttachTable databases={databases.data ?? []} onclose={() => (attaching = false)} /></div>
{/if}
{#if attaching}<!-- one thing at a time -->
{:else if files.length > 0}
  {#key turn}
    <LoadFiles {files} datasets={datasets.data ?? []} onclose={() => (files = [])} onbegin={(id) => (here = id)} />
  {/key}
{:else}
  <label
    class={[
      'card for-analyst flex cursor-pointer flex-col items-center justify-center gap-2 border-dashed text-center',
      'focus-within:border-inside hover:border-inside',
      empty ? 'min-h-72 p-10' : 'p-6',
      over && 'border-inside! bg-inside-wash!',
    ]}
    ondragover={(e) => (e.preventDefault(), (over = true))}
    ondragleave={() => (over = false)}
    ondrop={(e) => (e.preventDefault(), take(e.dataTransfer?.files))}
  >
    <Upload class="size-6 text-inside" aria-hidden="true" />
    <span class="text-[0.9375rem] font-semibold"
      >{empty ? 'Drop your first file here' : 'Drop files here'}, or choose them</span
    >
    <span class="text-quiet"
      >CSV, JSON, XLSX or Parquet, also compressed; one column holds the day. Several are loaded as one. Nothing is
      loaded before you have seen its columns.</span
    >
    <input type="file" multiple class="sr-only" data-file onchange={(e) => take(e.currentTarget.files)} />
  </label>
{/if}

{#each uploads.list.filter((u) => u.id !== here) as u (u.id)}
  <p class="card mt-2.5 flex flex-wrap items-center gap-3 px-4 py-2.5" data-upload={u.state}>
    <span class="font-medium">{u.files}</span><span class="text-quiet">into {u.dataset}</span>
    {#if u.state === 'sending'}
      <span class="flex-1">{u.part < 1 ? `${Math.round(u.part * 100)} % sent` : 'sent; being stored'}</span>
      <button class="button" onclick={u.cancel}>Cancel</button>
    {:else}
      <span class={['flex-1', u.error && 'text-worse']}
        >{u.load ? `${u.load.records.toLocaleString('en')} records loaded` : u.error?.message}</span
      >
      <button class="button" onclick={() => dismiss(u.id)}>Close</button>
    {/if}
  </p>
{/each}

<div class="mt-4 space-y-2.5">
  {#if datasets.isError}
    <ErrorPanel error={datasets.error} retry={() => void datasets.refetch()} />
  {:else}
    {#each datasets.data ?? [] as d (d.name)}<DatasetCard dataset={d} />{/each}
  {/if}
</div>
{#if may(session.data, 'administrator')}<RemovedDatasets />{/if}
