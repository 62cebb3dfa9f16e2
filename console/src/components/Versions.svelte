<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query'
  import { api, data } from '../lib/api'
  import Trouble from './Trouble.svelte'

  // How a span stood. What differs from the version before is marked.
  let { name }: { name: string } = $props()

  const client = useQueryClient()
  let trouble = $state<Error | null>(null)
  const versions = createQuery(() => ({
    queryKey: ['versions', name],
    queryFn: async () => data(await api.GET('/definitions/{kind}/{name}/versions', { params: { path: { kind: 'span', name } } })),
  }))

  async function bringBack(version: number) {
    trouble = null
    try {
      data(await api.POST('/definitions/{kind}/{name}/versions', { params: { path: { kind: 'span', name } }, body: { version } }))
      await client.invalidateQueries()
    } catch (e) {
      trouble = e as Error
    }
  }

  // The parts of a definition, {name: x, is: y}, that the one before does not have.
  function pieces(definition: string): string[] {
    return definition.replace(/^\{|\}$/g, '').split(/, (?=[a-z]+: )/)
  }
</script>

<section class="card p-4" aria-label="Versions">
  <h2 class="mb-2 font-semibold">Versions</h2>
  {#if trouble}<div class="mb-2"><Trouble error={trouble} /></div>{/if}
  <ol>
    {#each versions.data ?? [] as v, i (v.version)}
      {@const before = versions.data?.[i + 1]?.definition ?? ''}
      <li class="border-t border-dashed border-line py-2 first:border-0">
        <div class="flex items-baseline gap-2">
          <b class="font-semibold">{v.version}</b>
          <span class="text-quiet">{new Date(v.changed_at).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'short' })}, by {v.author}</span>
          {#if v.note}<span class="truncate">{v.note}</span>{/if}
          {#if i === 0}<span class="ml-auto text-2xs text-inside">in place</span>{:else if !v.removed}<button class="button ml-auto" onclick={() => bringBack(v.version)}>Bring back</button>{/if}
        </div>
        {#if v.removed}
          <p class="text-worse">removed</p>
        {:else}
          <p class="font-mono text-[0.75rem]">
            {#each pieces(v.definition ?? '') as piece, j (j)}
              {#if j > 0}<span class="text-quiet">{', '}</span>{/if}{#if before && !pieces(before).includes(piece)}<mark class="rounded bg-inside-wash px-0.5 text-inside underline">{piece}</mark>{:else}<span class="text-quiet">{piece}</span>{/if}
            {/each}
          </p>
        {/if}
      </li>
    {/each}
  </ol>
</section>
