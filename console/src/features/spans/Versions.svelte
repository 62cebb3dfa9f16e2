<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query'
  import { api, data } from '../../api/client'
  import { all } from '../../api/queries'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'

  // How a span stood. What differs from the version before is marked.
  let { name }: { name: string } = $props()

  const client = useQueryClient()
  let error = $state<Error | null>(null)
  const versions = createQuery(() => ({
    queryKey: ['versions', name],
    queryFn: () =>
      all(async (query) => data(await api.GET('/spans/{name}/versions', { params: { path: { name }, query } }))),
  }))

  async function restore(version: number) {
    error = null
    try {
      data(await api.POST('/spans/{name}/restore', { params: { path: { name } }, body: { version } }))
      await client.invalidateQueries()
    } catch (e) {
      error = e as Error
    }
  }

  // The parts of a definition, what it is first; those that the one before does not have are marked.
  const order = ['name', 'is', 'calendar', 'about', 'tags']
  function pieces(definition: Record<string, unknown> | undefined): string[] {
    return Object.entries(definition ?? {})
      .sort(([a], [b]) => order.indexOf(a) - order.indexOf(b))
      .map(([k, v]) => `${k}: ${Array.isArray(v) ? v.join(', ') : String(v)}`)
  }
</script>

<section class="card p-4" aria-label="Versions">
  <h2 class="mb-2 font-semibold">Versions</h2>
  {#if error}<div class="mb-2"><ErrorPanel {error} /></div>{/if}
  <ol>
    {#each versions.data ?? [] as v, i (v.version)}
      {@const before = versions.data?.[i + 1]?.definition}
      <li class="border-t border-dashed border-line py-2 first:border-0">
        <div class="flex items-baseline gap-2">
          <b class="font-semibold">{v.version}</b>
          <span class="text-quiet"
            >{new Date(v.changed_at).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'short' })}, by {v.author}</span
          >
          {#if v.note}<span class="truncate">{v.note}</span>{/if}
          {#if i === 0}<span class="ml-auto text-2xs text-inside">current</span>{:else if !v.removed}<button
              class="button for-analyst ml-auto"
              onclick={() => restore(v.version)}>Restore</button
            >{/if}
        </div>
        {#if v.removed}
          <p class="text-worse">removed</p>
        {:else}
          <p class="flex flex-wrap gap-x-4 font-mono text-[0.75rem]">
            {#each pieces(v.definition) as piece (piece)}
              {#if before && !pieces(before).includes(piece)}
                <mark class="rounded bg-inside-wash px-0.5 text-inside underline">{piece}</mark>
              {:else}<span class="text-quiet">{piece}</span>{/if}
            {/each}
          </p>
        {/if}
      </li>
    {/each}
  </ol>
</section>
