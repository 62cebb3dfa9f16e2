<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query'
  import { api, data, type Schemas } from '../../api/client'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'

  // What was sent to the database where the records are: asked for when it is looked at.
  let { body, database }: { body: Schemas['Query']; database: string } = $props()

  let open = $state(false)
  const sent = createQuery(() => ({
    queryKey: ['statements', body],
    queryFn: async () => data(await api.POST('/total/statements', { body })).items,
    enabled: open,
  }))
</script>

<details class="card mt-3.5 px-4 py-2.5" bind:open data-statements>
  <summary class="cursor-pointer text-quiet">What is sent to {database}</summary>
  {#if sent.isError}
    <div class="mt-2"><ErrorPanel error={sent.error} /></div>
  {:else if sent.data}
    {#each sent.data as s, i (i)}
      <pre class="mt-2 overflow-x-auto rounded bg-paper p-3 text-[0.75rem] leading-relaxed">{s.sql}</pre>
    {/each}
    <p class="mt-2 text-quiet">
      {sent.data.length === 1 ? 'One statement' : `${sent.data.length} statements`}, read-only, as they were sent.
    </p>
  {/if}
</details>
