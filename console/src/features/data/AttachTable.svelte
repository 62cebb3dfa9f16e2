<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query'
  import { api, data, type Schemas } from '../../api/client'
  import { carried } from '../../lib/address.svelte'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'
  import { scrolls } from '../../ui/scrolls'
  import Select from '../../ui/Select.svelte'
  import { datasetOf } from './files'

  // A table of another database on its way to being a dataset: nothing of it is brought in.
  let { databases, onclose }: { databases: Schemas['Database'][]; onclose: () => void } = $props()

  const client = useQueryClient()
  let chosen = $state('')
  const database = $derived(databases.find((d) => d.name === chosen) ?? databases[0]!)
  let fields = $state({ table: '', name: '', date: '', key: '', amounts: '', categories: '', details: '' })
  let zone = $state('')
  let problem = $state<Error | null>(null)
  let busy = $state(false)
  let made = $state<Schemas['Dataset'] | null>(null)

  const reached = createQuery(() => ({
    queryKey: ['reached', database.name],
    queryFn: async () =>
      data(await api.POST('/databases/{name}/test', { params: { path: { name: database.name } } })).version,
    retry: false,
    staleTime: 10_000,
  }))
  const tables = createQuery(() => ({
    queryKey: ['tables', database.name],
    queryFn: async () => data(await api.GET('/databases/{name}/tables', { params: { path: { name: database.name } } })),
    retry: false,
    staleTime: 10_000,
  }))
  // A look at the columns of the table that is named, once it is one of those that there are.
  const known = $derived(
    tables.data?.items.some((t) => t.table === fields.table.trim() || t.table.endsWith('.' + fields.table.trim())) ??
      false,
  )
  const columns = createQuery(() => {
    const [name, table] = [database.name, fields.table.trim()]
    return {
      queryKey: ['columns', name, table],
      queryFn: async () =>
        data(await api.GET('/databases/{name}/columns', { params: { path: { name }, query: { table } } })).items,
      enabled: known,
      retry: false,
    }
  })
  const list = (text: string) => text.split(/[,\s]+/).filter((part) => part !== '')
  const name = $derived(fields.name.trim() || (fields.table.trim() && datasetOf(fields.table.split('.').at(-1) ?? '')))

  async function attach() {
    problem = null
    busy = true
    try {
      made = data(
        await api.POST('/datasets/{name}/attach', {
          params: { path: { name } },
          body: {
            database: database.name,
            table: fields.table.trim(),
            ...(fields.date ? { date: fields.date.trim() } : {}),
            ...(fields.key ? { key: fields.key.trim() } : {}),
            ...(zone ? { zone: zone.trim() } : {}),
            amounts: list(fields.amounts),
            categories: list(fields.categories),
            details: list(fields.details),
          },
        }),
      )
      await client.invalidateQueries()
    } catch (e) {
      problem = e as Error
    }
    busy = false
  }
  const link = (page: string) => `${page}${carried() ? carried() + '&' : '?'}dataset=${encodeURIComponent(name)}`
  const asked = [
    { field: 'table', label: 'Table or view', hint: 'public.trips' },
    { field: 'name', label: 'Name of the dataset', hint: '' },
    { field: 'date', label: 'Column of the day', hint: 'the only one of dates' },
    { field: 'key', label: 'Column that tells records apart', hint: 'none' },
    { field: 'amounts', label: 'Amounts', hint: 'all numbers' },
    { field: 'categories', label: 'Categories', hint: 'all texts' },
    { field: 'details', label: 'Details', hint: 'other dates' },
  ] as const
</script>

<section class="card p-4" aria-label="A table that is attached" data-attach>
  {#if made}
    <h2 class="text-base font-semibold">
      {made.attached?.table} is the dataset <span class="text-inside">{made.name}</span>
    </h2>
    <p class="mt-1 text-quiet">
      {made.records.toLocaleString('en')} records, read in {database.name} whenever they are asked for.
    </p>
    <div class="mt-3 flex gap-2">
      <a class="button button-strong" href={link('/totals')}>Total them</a>
      <a class="button" href={link('/records')}>See the records</a>
      <button class="button" onclick={onclose}>Done</button>
    </div>
  {:else}
    <form onsubmit={(e) => (e.preventDefault(), void attach())}>
      <div class="flex flex-wrap items-center gap-3">
        <Select
          label="Database"
          value={database.name}
          options={databases.map((d) => ({ value: d.name, label: d.name, hint: d.engine }))}
          onchoose={(v) => (chosen = v)}
        />
        <span class="min-w-0 flex-1 truncate text-quiet" title={database.address}
          >{database.address} ·
          {#if reached.isError}<span class="text-worse">{reached.error.message}</span>{:else}{reached.data ??
              'being reached…'}{/if}</span
        >
        <button class="button button-strong" disabled={busy || fields.table.trim() === ''}
          >{busy ? 'Looking…' : 'Attach'}</button
        >
        <button type="button" class="button" onclick={onclose}>Cancel</button>
      </div>
      <p class="mt-2 text-quiet">
        Its records stay where they are and are only read. What is left blank is found out from the columns.
      </p>
      {#if problem}<div class="mt-3"><ErrorPanel error={problem} /></div>{/if}
      <div class="mt-3 grid grid-cols-[repeat(auto-fill,minmax(13rem,1fr))] gap-3">
        {#each asked as f (f.field)}
          <div>
            <label class="label" for={`attach-${f.field}`}>{f.label}</label>
            <input
              id={`attach-${f.field}`}
              class="field"
              placeholder={f.field === 'name' ? name : f.hint}
              bind:value={fields[f.field]}
              list={f.field === 'table' ? 'attach-tables' : undefined}
              autocomplete="off"
              spellcheck="false"
            />
          </div>
        {/each}
        <div>
          <label class="label" for="attach-zone">Time zone of its times</label>
          <input id="attach-zone" class="field" placeholder="UTC" bind:value={zone} spellcheck="false" />
        </div>
      </div>
      <datalist id="attach-tables">
        {#each tables.data?.items ?? [] as t (t.table)}<option value={t.table}>{t.kind}</option>{/each}
      </datalist>
      {#if known && columns.data}
        <div class="mt-3 overflow-x-auto" {@attach scrolls}>
          <table class="w-full" data-attach-columns>
            <thead>
              <tr class="h-8 border-b border-line text-left text-quiet">
                {#each ['column', 'declared as', 'type', 'role', 'first values'] as head (head)}<th
                    class="pr-4 font-normal">{head}</th
                  >{/each}
              </tr>
            </thead>
            <tbody>
              {#each columns.data as c (c.name)}
                <tr class="h-8 border-t border-line/60">
                  <th class="pr-4 text-left font-semibold" scope="row">{c.name}</th>
                  <td class="pr-4 text-quiet">{c.declared}</td>
                  <td class="pr-4">{c.type}</td>
                  <td class="pr-4">{c.role}</td>
                  <td class="max-w-96 truncate text-quiet">{c.first.join(' | ')}</td>
                </tr>
              {/each}
            </tbody>
          </table>
        </div>
      {:else if tables.data && fields.table === ''}
        <p class="mt-3 flex flex-wrap items-center gap-1.5" data-attach-tables>
          <span class="text-quiet"
            >{tables.data.items.length === 0 ? 'It has no tables that can be read.' : 'Tables'}</span
          >
          {#each tables.data.items.slice(0, 24) as t (t.table)}
            <button type="button" class="chip" onclick={() => (fields.table = t.table)}
              >{t.table}{#if t.kind === 'view'}<span class="text-2xs text-quiet">view</span>{/if}</button
            >
          {/each}
          {#if tables.data.items.length > 24 || tables.data.more}<span class="text-quiet">and more: type a name</span
            >{/if}
        </p>
      {/if}
    </form>
  {/if}
</section>
