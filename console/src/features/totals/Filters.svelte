<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query'
  import Check from '@lucide/svelte/icons/check'
  import Plus from '@lucide/svelte/icons/plus'
  import X from '@lucide/svelte/icons/x'
  import { Checkbox, Popover } from 'bits-ui'
  import { api, data, type Dataset } from '../../api/client'
  import {
    columnText,
    filterTexts,
    filterWords,
    operations,
    operationsOf,
    parseFilters,
    type Filter,
    type OperationName,
  } from '../../lib/filters'
  import { params, setParam } from '../../lib/address.svelte'
  import { isPart, isTimed, timeParts } from '../../lib/query'
  import type { Context } from '../../api/queries'
  import Select from '../../ui/Select.svelte'
  import Expression from '../spans/Expression.svelte'

  let { dataset, context }: { dataset: Dataset; context: Context | null } = $props()

  const filters = $derived(parseFilters(params('where')))
  let open = $state(false)
  let column = $state('')
  let operation = $state<OperationName>('is')
  let typed = $state('')
  let upper = $state('')
  let anyCase = $state(false)
  let written = $state('')

  const partOperations: OperationName[] = ['is', 'is-not', 'at-least', 'at-most', 'between']
  const chosen = $derived(dataset.columns.find((c) => c.name === column))
  const parted = $derived(isPart(column) && !chosen)
  const choices = $derived(parted ? partOperations : operationsOf(chosen?.role ?? '', chosen?.type ?? ''))
  const takes = $derived(operations[operation].takes)
  const complete = $derived(takes === 'nothing' || (typed.trim() !== '' && (takes !== 'two' || upper.trim() !== '')))
  const byList = $derived(chosen?.role === 'category' && (operation === 'is' || operation === 'is-not'))
  const folds = $derived(chosen?.type === 'text' && takes === 'value' && !byList)

  const values = createQuery(() => ({
    queryKey: ['values', dataset.name, column, dataset.version],
    queryFn: async () =>
      data(await api.GET('/datasets/{name}/values', { params: { path: { name: dataset.name }, query: { column } } })),
    enabled: open && byList,
  }))

  function choose(name: string) {
    column = name
    operation = choices[0] ?? 'is'
    typed = ''
  }
  function show(isOpen: boolean) {
    open = isOpen
    if (isOpen && !chosen && !parted)
      choose((dataset.columns.find((c) => c.role === 'category') ?? dataset.columns[0])?.name ?? '')
  }
  const keep = (next: Filter[]) => setParam('where', filterTexts(next))

  function toggle(value: string | null) {
    const own = operation === 'is' ? 'is' : 'is-not'
    const have = filters.find((f) => f.column === column && f.operation === own)
    if (!have) return keep([...filters, { column, operation: own, values: [value], text: '' }])
    const rest = have.values.includes(value) ? have.values.filter((v) => v !== value) : [...have.values, value]
    keep(
      filters
        .map((f) => (f === have ? { ...f, values: rest } : f))
        .filter((f) => f.operation === '' || f.values.length > 0),
    )
  }
  function take(text: string) {
    setParam('where', [...filterTexts(filters), text])
    typed = upper = written = ''
    open = false
  }
  function add() {
    if (!complete) return
    const text = operations[operation].text(columnText(column), typed.trim(), upper.trim())
    take(folds && anyCase ? text + ' ignoring case' : text)
  }
  const partHints: Record<string, string> = { weekday: 'Sat', hour: '09:00', year: '2026', 'month of year': 'Oct' }
  const boxClass = [
    'grid size-4 place-items-center rounded border border-quiet',
    'data-[state=checked]:border-inside data-[state=checked]:bg-inside',
  ]
  const shown = (v: string | null) => v ?? '(blank)'
</script>

<div class="flex flex-wrap items-center gap-1.5" data-filters>
  {#each filters as f, i (i)}
    <span class="chip chip-on pr-0.5">
      <span class="max-w-96 truncate">{filterWords(f)}</span>
      <button
        class="rounded p-1 hover:bg-ahead"
        aria-label={`Remove the filter ${filterWords(f)}`}
        onclick={() => keep(filters.filter((x) => x !== f))}><X class="size-3" /></button
      >
    </span>
  {/each}
  <Popover.Root {open} onOpenChange={show}>
    <Popover.Trigger class="chip text-quiet hover:text-ink"
      ><Plus class="size-3" aria-hidden="true" />Filter</Popover.Trigger
    >
    <Popover.Portal>
      <Popover.Content class="card z-40 w-[min(22rem,92vw)] p-2.5 shadow-lg" sideOffset={4} align="start">
        <div class="mb-2 grid grid-cols-2 gap-2">
          <Select
            label="Column"
            wide
            value={column}
            options={[
              ...dataset.columns.map((c) => ({ value: c.name, label: c.name.replaceAll('_', ' '), hint: c.type })),
              ...timeParts(isTimed(dataset, '')).map((p) => ({ value: p, label: p, hint: 'part of the date' })),
            ]}
            onchoose={choose}
          />
          <Select
            label="Condition"
            wide
            value={operation}
            options={choices.map((o) => ({ value: o, label: operations[o].words }))}
            onchoose={(o) => (operation = o as OperationName)}
          />
        </div>
        {#if byList}
          <div class="max-h-64 overflow-y-auto">
            {#if values.isPending}<p class="p-2 text-quiet">…</p>{/if}
            {#each values.data?.items ?? [] as v (v.value)}
              {@const on =
                filters.find((f) => f.column === column && f.operation === operation)?.values.includes(v.value) ??
                false}
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
            class="flex flex-wrap gap-2"
            onsubmit={(e) => {
              e.preventDefault()
              add()
            }}
          >
            {#if takes === 'span'}
              <div class="w-full">
                <Expression id="filter-span" label="The span" bind:value={typed} {context} onenter={add} />
              </div>
            {:else if takes !== 'nothing'}
              <input
                class="field min-w-24 flex-1"
                bind:value={typed}
                aria-label="Value"
                autocomplete="off"
                placeholder={parted
                  ? (partHints[column] ?? '1')
                  : chosen?.type === 'number'
                    ? '12.50'
                    : chosen?.type === 'text'
                      ? 'some words'
                      : '2026-03-05'}
              />
              {#if takes === 'two'}<input
                  class="field min-w-24 flex-1"
                  bind:value={upper}
                  aria-label="Highest value"
                  autocomplete="off"
                  placeholder="and"
                />{/if}
            {/if}
            {#if folds}
              <label class="flex items-center gap-2 text-quiet">
                <Checkbox.Root class={boxClass} bind:checked={anyCase}>
                  {#snippet children({ checked })}{#if checked}<Check class="size-3 text-card" />{/if}{/snippet}
                </Checkbox.Root>
                ignoring case
              </label>
            {/if}
            <button class="button button-strong ml-auto" disabled={!complete}>Add</button>
          </form>
        {/if}
        <form
          class="mt-3 border-t border-line pt-2.5"
          onsubmit={(e) => {
            e.preventDefault()
            if (written.trim() !== '') take(written.trim())
          }}
        >
          <label class="label" for="filter-written">or written out</label>
          <div class="flex gap-2">
            <input
              id="filter-written"
              class="field min-w-0 flex-1 font-mono text-[0.75rem]"
              bind:value={written}
              autocomplete="off"
              spellcheck="false"
              placeholder="fare>10 or route in (A, B)"
            />
            <button class="button" disabled={written.trim() === ''}>Add</button>
          </div>
        </form>
      </Popover.Content>
    </Popover.Portal>
  </Popover.Root>
</div>
