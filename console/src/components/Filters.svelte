<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query'
  import Plus from '@lucide/svelte/icons/plus'
  import X from '@lucide/svelte/icons/x'
  import { Checkbox, Popover } from 'bits-ui'
  import Check from '@lucide/svelte/icons/check'
  import { api, data, type Dataset, type Filter } from '../lib/api'
  import { fromFilters, toFilters } from '../lib/filters'
  import { params, setParam } from '../lib/state.svelte'
  import Choice from './Choice.svelte'

  let { dataset }: { dataset: Dataset } = $props()

  const filters = $derived(toFilters(params('where')))
  const categories = $derived(dataset.columns.filter((c) => c.role === 'category').map((c) => c.name))
  let open = $state<string | null>(null)
  let adding = $state(false)

  const values = createQuery(() => ({
    queryKey: ['values', dataset.name, open, dataset.version],
    queryFn: async () => data(await api.GET('/datasets/{name}/values', { params: { path: { name: dataset.name }, query: { column: open ?? '' } } })),
    enabled: open !== null,
  }))

  function keep(next: Filter[]) {
    setParam('where', fromFilters(next))
  }
  function toggle(column: string, value: string | null) {
    const have = filters.find((f) => f.column === column)
    if (!have) return keep([...filters, { column, one_of: [value] }])
    const one_of = have.one_of.includes(value) ? have.one_of.filter((v) => v !== value) : [...have.one_of, value]
    keep(filters.map((f) => (f === have ? { column, one_of } : f)).filter((f) => f.one_of.length > 0))
  }
  const shown = (v: string | null) => v ?? '(blank)'
</script>

{#snippet picker(column: string)}
  <div class="max-h-72 min-w-52 overflow-y-auto">
    {#if values.isPending}<p class="p-2 text-quiet">…</p>{/if}
    {#each values.data ?? [] as v (v.value)}
      {@const on = filters.find((f) => f.column === column)?.one_of.includes(v.value) ?? false}
      <label class="flex items-center gap-2 rounded px-2 py-1 hover:bg-ahead">
        <Checkbox.Root class="grid size-4 place-items-center rounded border border-quiet data-[state=checked]:border-inside data-[state=checked]:bg-inside" checked={on} onCheckedChange={() => toggle(column, v.value)}>
          {#snippet children({ checked })}{#if checked}<Check class="size-3 text-card" />{/if}{/snippet}
        </Checkbox.Root>
        <span class="flex-1 truncate">{shown(v.value)}</span>
        <span class="text-2xs text-quiet">{v.records.toLocaleString('en')}</span>
      </label>
    {/each}
  </div>
{/snippet}

<div class="flex flex-wrap items-center gap-1.5" data-filters>
  {#each filters as f (f.column)}
    <Popover.Root open={open === f.column && !adding} onOpenChange={(o) => ((open = o ? f.column : null), (adding = false))}>
      <div class="chip chip-on pr-0.5">
        <Popover.Trigger class="max-w-64 truncate">{f.column} is {f.one_of.map(shown).join(' or ')}</Popover.Trigger>
        <button class="rounded p-1 hover:bg-ahead" aria-label={`Drop the filter on ${f.column}`} onclick={() => keep(filters.filter((x) => x !== f))}><X class="size-3" /></button>
      </div>
      <Popover.Portal>
        <Popover.Content class="card z-40 p-2 shadow-lg" sideOffset={4} align="start">{@render picker(f.column)}</Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  {/each}
  <Popover.Root open={adding} onOpenChange={(o) => ((adding = o), (open = o ? (categories[0] ?? null) : null))}>
    <Popover.Trigger class="chip text-quiet hover:text-ink"><Plus class="size-3" aria-hidden="true" />Filter</Popover.Trigger>
    <Popover.Portal>
      <Popover.Content class="card z-40 p-2 shadow-lg" sideOffset={4} align="start">
        {#if categories.length === 0}
          <p class="p-2 text-quiet">{dataset.name} has no categories.</p>
        {:else}
          <div class="mb-2"><Choice label="Column" wide value={open ?? ''} options={categories.map((c) => ({ value: c, label: c }))} onchoose={(v) => (open = v)} /></div>
          {#if open}{@render picker(open)}{/if}
        {/if}
      </Popover.Content>
    </Popover.Portal>
  </Popover.Root>
</div>
