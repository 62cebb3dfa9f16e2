<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query'
  import { api, data, succeed } from '../../api/client'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'

  // Datasets that were removed, and can be brought back for a while.
  const client = useQueryClient()
  const removed = createQuery(() => ({
    queryKey: ['removed datasets'],
    queryFn: async () => data(await api.GET('/removed-datasets')).items,
  }))
  const on = (text: string) => new Date(text).toLocaleDateString('en-GB', { dateStyle: 'medium' })
  let problem = $state<Error | null>(null)
  let said = $state('')

  async function bringBack(name: string) {
    problem = null
    try {
      succeed(await api.POST('/datasets/{name}/restore', { params: { path: { name } } }))
      await client.invalidateQueries()
      said = `Dataset ${name} is back.`
    } catch (e) {
      problem = e as Error
    }
  }
</script>

<p class={['mt-3 text-inside', said === '' && 'sr-only']} role="status">{said}</p>
{#if (removed.data?.length ?? 0) > 0}
  <section class="mt-3" data-removed>
    <h2 class="label">Removed</h2>
    {#if problem}<div class="mb-2"><ErrorPanel error={problem} /></div>{/if}
    {#each removed.data ?? [] as d (d.name + d.removed_at)}
      <p class="flex flex-wrap items-center gap-3 py-1 text-quiet">
        <span class="font-medium">{d.name}</span>
        <span>removed {on(d.removed_at)} by {d.removed_by}, kept until {on(d.until)}</span>
        <button class="button for-administrator" onclick={() => void bringBack(d.name)}>Bring back</button>
      </p>
    {/each}
  </section>
{/if}
