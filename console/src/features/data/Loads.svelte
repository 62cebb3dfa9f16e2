<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query'
  import { api, succeed } from '../../api/client'
  import { long } from '../../lib/days'
  import { countRecords } from '../../lib/numbers'
  import { ask } from '../../ui/ask.svelte'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'
  import { useLoads, type Load } from './files'

  // The loads of a dataset, newest first; each can be undone, and that as well.
  let { dataset }: { dataset: string } = $props()

  const client = useQueryClient()
  const loads = useLoads(() => dataset)
  let problem = $state<Error | null>(null)
  const at = (text: string) => new Date(text).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'short' })

  /** What a load changed: from what was known right before it to what was known right after. */
  const changedBy = (l: Load) =>
    '/records?' +
    new URLSearchParams({ dataset, view: 'changes', since: l.loaded_at, known: `load ${l.id}` }).toString()

  let said = $state('')

  async function undo(l: Load) {
    const back = l.replaced > 0 ? ` The ${countRecords(l.replaced)} that it replaced come back.` : ''
    const sure = await ask({
      title: `Undo load ${l.id} of ${dataset}?`,
      text: `${countRecords(l.records)} of ${l.file} go.${back} You can bring them back for 30 days.`,
      action: 'Undo the load',
    })
    if (sure) await change(l, 'undo')
  }

  async function change(l: Load, how: 'undo' | 'redo') {
    problem = null
    const params = { path: { name: dataset, load: l.id } }
    try {
      succeed(
        how === 'undo'
          ? await api.POST('/datasets/{name}/loads/{load}/undo', { params })
          : await api.POST('/datasets/{name}/loads/{load}/redo', { params }),
      )
      await client.invalidateQueries()
      said = how === 'undo' ? `Load ${l.id} is undone: ${countRecords(l.records)} removed.` : `Load ${l.id} is back.`
    } catch (e) {
      problem = e as Error
    }
  }
</script>

{#if problem}<ErrorPanel error={problem} />{/if}
<p class={['mb-1 text-inside', said === '' && 'sr-only']} role="status" data-said>{said}</p>
<table class="w-full" data-loads>
  <tbody>
    {#each loads.data ?? [] as l (l.id)}
      <tr class={['h-9 border-t border-line/60', l.undone_at && 'text-quiet']}>
        <td class="pr-3 text-quiet">load {l.id}</td>
        <td class={['max-w-64 truncate px-3', l.undone_at && 'line-through']} title={l.file}>{l.file}</td>
        <td class={['px-3 text-right', l.undone_at && 'line-through']}>{countRecords(l.records)}</td>
        <td class="px-3 whitespace-nowrap text-quiet"
          >{#if l.oldest && l.newest}{long(l.oldest)} to {long(l.newest)}{/if}</td
        >
        <td class="px-3 text-quiet">{l.replaced > 0 ? `in the place of ${l.replaced.toLocaleString('en')}` : ''}</td>
        <td class="px-3 whitespace-nowrap text-quiet">{at(l.loaded_at)}, {l.author}</td>
        <td class="pl-3 text-right whitespace-nowrap">
          {#if !l.undone_at && l.id !== loads.data?.at(-1)?.id}<a class="button mr-1" href={changedBy(l)}
              >What changed</a
            >{/if}
          {#if l.undone_at}<span class="line-through">undone {at(l.undone_at)}</span>{#if l.kept}<button
                class="button for-analyst ml-2 no-underline!"
                onclick={() => void change(l, 'redo')}>Bring back</button
              >{/if}{:else}<button class="button for-analyst" onclick={() => void undo(l)}>Undo…</button>{/if}
        </td>
      </tr>
    {/each}
  </tbody>
</table>
