<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query'
  import Check from '@lucide/svelte/icons/check'
  import Plus from '@lucide/svelte/icons/plus'
  import X from '@lucide/svelte/icons/x'
  import { Checkbox, Popover } from 'bits-ui'
  import { api, data, type Dataset } from '../../api/client'
  import { filterTexts, filterWords, operators, parseFilters, type Filter, type Operator } from '../../lib/filters'
  import { params, setParam } from '../../lib/address.svelte'
  import Select from '../../ui/Select.svelte'

  let { dataset }: { dataset: Dataset } = $props()

  const filters = $derived(parseFilters(params('where')))
  let open = $state(false)
  let column = $state('')
  let operator = $state<Operator>('is')
  let typed = $state('')
  let upper = $state('')

  const chosen = $derived(dataset.columns.find((c) => c.name === column))
  const choices = $derived<Operator[]>(
    chosen?.role === 'category'
      ? ['is', 'is-not', 'contains']
      : chosen?.type === 'text'
        ? ['contains', 'is', 'is-not']
        : ['at-least', 'at-most', 'between', 'is', 'is-not'],
  )
  const complete = $derived(typed.trim() !== '' && (operator !== 'between' || upper.trim() !== ''))
  const byList = $derived(chosen?.role === 'category' && operator !== 'contains')

  const values = createQuery(() => ({
    queryKey: ['values', dataset.name, column, dataset.version],
    queryFn: async () =>
      data(await api.GET('/datasets/{name}/values', { params: { path: { name: dataset.name }, query: { column } } })),
    enabled: open && byList,
  }))

  function choose(name: string) {
    column = name
    operator = choices[0] ?? 'is'
    typed = ''
  }
  function show(isOpen: boolean) {
    open = isOpen
    if (isOpen && !chosen)
      choose((dataset.columns.find((c) => c.role === 'category') ?? dataset.columns[0])?.name ?? '')
  }
  const keep = (next: Filter[]) => setParam('where', filterTexts(next))

  function toggle(value: string | null) {
    const have = filters.find((f) => f.column === column && f.operator === operator)
    if (!have) return keep([...filters, { column, operator, values: [value] }])
    const rest = have.values.includes(value) ? have.values.filter((v) => v !== value) : [...have.values, value]
    keep(filters.map((f) => (f === have ? { ...f, values: rest } : f)).filter((f) => f.values.length > 0))
  }
  function add() {
    if (!complete) return
    keep([
      ...filters,
      { column, operator, values: operator === 'between' ? [typed.trim(), upper.trim()] : [typed.trim()] },
    ])
    typed = ''
    upper = ''
    open = false
  }
  const boxClass = [
    'grid size-4 place-items-center rounded border border-quiet',
    'data-[state=checked]:border-inside data-[state=checked]:bg-inside',
  ]
  const shown = (v: string | null) => v ?? '(blank)'
</script>

<div class="flex flex-wrap items-center gap-1.5" data-filters>
  {#each filters as f, i (i)}
    <span class="chip chip-on pr-0.5">
      <span class="max-w-72 truncate">{filterWords(f)}</span>
      <button
        class="rounded p-1 hover:bg-ahead"
        aria-label={`Drop the filter on ${f.column}`}
        onclick={() => keep(filters.filter((x) => x !== f))}><X class="size-3" /></button
      >
    </span>
  {/each}
  <Popover.Root {open} onOpenChange={show}>
    <Popover.Trigger class="chip text-quiet hover:text-ink"
      ><Plus class="size-3" aria-hidden="true" />Filter</Popover.Trigger
    >
    <Popover.Portal>
      <Popover.Content class="card z-40 w-72 p-2.5 shadow-lg" sideOffset={4} align="start">
        <div class="mb-2 grid grid-cols-2 gap-2">
          <Select
            label="Column"
            wide
            value={column}
            options={dataset.columns.map((c) => ({ value: c.name, label: c.name.replaceAll('_', ' '), hint: c.type }))}
            onchoose={choose}
          />
          <Select
            label="Condition"
            wide
            value={operator}
            options={choices.map((o) => ({ value: o, label: operators[o].words }))}
            onchoose={(o) => (operator = o as Operator)}
          />
        </div>
        {#if byList}
          <div class="max-h-64 overflow-y-auto">
            {#if values.isPending}<p class="p-2 text-quiet">…</p>{/if}
            {#each values.data?.items ?? [] as v (v.value)}
              {@const on =
                filters.find((f) => f.column === column && f.operator === operator)?.values.includes(v.value) ?? false}
              <label class="flex items-center gap-2 rounded px-2 py-1 hover:bg-ahead">
                <Checkbox.Root class={boxClass} checked={on} onCheckedChange={() => toggle(v.value)}>
                  {#snippet children({ checked })}{#if checked}<Check class="size-3 text-card" />{/if}{/snippet}
                </Checkbox.Root>
                <span class="flex-1 truncate">{shown(v.value)}</span>
                <span class="text-2xs text-quiet">{v.records.toLocaleString('en')}</span>
              </label>
            {/each}
          </div>
        {:else}
          <form
            class="flex gap-2"
            onsubmit={(e) => {
              e.preventDefault()
              add()
            }}
          >
            <input
              class="field"
              bind:value={typed}
              aria-label="Value"
              autocomplete="off"
              placeholder={chosen?.type === 'number' ? '12.50' : chosen?.type === 'text' ? 'some words' : '2026-03-05'}
            />
            {#if operator === 'between'}<input
                class="field"
                bind:value={upper}
                aria-label="Highest value"
                autocomplete="off"
                placeholder="and"
              />{/if}
            <button class="button button-strong" disabled={!complete}>Add</button>
          </form>
        {/if}
      </Popover.Content>
    </Popover.Portal>
  </Popover.Root>
</div>
