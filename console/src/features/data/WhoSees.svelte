<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query'
  import { api, data } from '../../api/client'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'
  import { names } from '../access/session'

  // Which groups see the records of a dataset, and which its totals only.
  let { dataset }: { dataset: string } = $props()

  type Unit = '' | 'week' | 'month' | 'quarter' | 'half' | 'year'
  const units: Unit[] = ['week', 'month', 'quarter', 'half', 'year']
  const client = useQueryClient()
  const rules = createQuery(() => ({
    queryKey: ['access', dataset],
    queryFn: async () => data(await api.GET('/datasets/{name}/access', { params: { path: { name: dataset } } })),
  }))
  let records = $state('')
  let totals = $state('')
  let least = $state(5)
  let by = $state<Unit>('')
  let error = $state<Error | null>(null)
  let said = $state(false)
  $effect(() => {
    records = (rules.data?.records ?? []).join(', ')
    totals = (rules.data?.totals ?? []).join(', ')
    least = rules.data?.min_records ?? 5
    by = rules.data?.totals_by ?? ''
  })
  async function save() {
    error = null
    try {
      const only = names(totals)
      const body = {
        records: names(records),
        totals: only,
        ...(only.length > 0 ? { min_records: least, totals_by: by || undefined } : {}),
      }
      data(await api.PUT('/datasets/{name}/access', { params: { path: { name: dataset } }, body }))
      await client.invalidateQueries()
      said = true
    } catch (e) {
      error = e as Error
    }
  }
</script>

<h2 class="mt-4 mb-1 font-semibold">Permissions</h2>
<p class="mb-2 text-quiet">
  Without groups, everyone who may sign in sees its records. With groups, only they and administrators see anything of
  it.
</p>
{#if error}<div class="mb-2"><ErrorPanel {error} /></div>{/if}
<form
  class="flex flex-wrap items-end gap-2.5"
  data-who-sees
  onsubmit={(e) => {
    e.preventDefault()
    void save()
  }}
>
  <div>
    <label class="label" for={'records-' + dataset}>Groups that see its records</label>
    <input id={'records-' + dataset} class="field w-56!" bind:value={records} oninput={() => (said = false)} />
  </div>
  <div>
    <label class="label" for={'totals-' + dataset}>Groups that see its totals only</label>
    <input id={'totals-' + dataset} class="field w-56!" bind:value={totals} oninput={() => (said = false)} />
  </div>
  {#if totals.trim() !== ''}
    <div>
      <label class="label" for={'least-' + dataset}>at least (records)</label>
      <input id={'least-' + dataset} type="number" min="2" max="1000000" class="field w-24!" bind:value={least} />
    </div>
    <div>
      <label class="label" for={'by-' + dataset}>over</label>
      <select id={'by-' + dataset} class="field w-40!" bind:value={by}>
        <option value="">any span</option>
        {#each units as unit (unit)}<option value={unit}>whole {unit === 'half' ? 'half-years' : unit + 's'}</option
          >{/each}
      </select>
    </div>
  {/if}
  <button class="button">Save</button>
  {#if said}<span class="self-center text-inside" role="status">saved</span>{/if}
</form>
