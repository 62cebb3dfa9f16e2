<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query'
  import { api, succeed } from '../../api/client'
  import { long } from '../../lib/days'
  import { countRecords } from '../../lib/numbers'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'
  import { useLoads } from './files'

  // The loads of a dataset, newest first; each can be undone.
  let { dataset }: { dataset: string } = $props()

  const client = useQueryClient()
  const loads = useLoads(() => dataset)
  let problem = $state<Error | null>(null)
  const at = (text: string) => new Date(text).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'short' })

  async function undo(id: number) {
    problem = null
    try {
      succeed(await api.POST('/datasets/{name}/loads/{load}/undo', { params: { path: { name: dataset, load: id } } }))
      await client.invalidateQueries()
    } catch (e) {
      problem = e as Error
    }
  }
</script>

{#if problem}<ErrorPanel error={problem} />{/if}
<table class="w-full" data-loads>
  <tbody>
    {#each loads.data ?? [] as l (l.id)}
      <tr class={['h-9 border-t border-line/60', l.undone_at && 'text-quiet line-through']}>
        <td class="pr-3 text-quiet">load {l.id}</td>
        <td class="max-w-64 truncate px-3" title={l.file}>{l.file}</td>
        <td class="px-3 text-right">{countRecords(l.records)}</td>
        <td class="px-3 whitespace-nowrap text-quiet"
          >{#if l.oldest && l.newest}{long(l.oldest)} to {long(l.newest)}{/if}</td
        >
        <td class="px-3 text-quiet">{l.replaced > 0 ? `in the place of ${l.replaced.toLocaleString('en')}` : ''}</td>
        <td class="px-3 whitespace-nowrap text-quiet">{at(l.loaded_at)}, {l.author}</td>
        <td class="pl-3 text-right">
          {#if l.undone_at}undone {at(l.undone_at)}{:else}<button
              class="button for-analyst"
              onclick={() => void undo(l.id)}>Undo</button
            >{/if}
        </td>
      </tr>
    {/each}
  </tbody>
</table>
