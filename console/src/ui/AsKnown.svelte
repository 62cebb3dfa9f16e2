<script lang="ts">
  import ChevronDown from '@lucide/svelte/icons/chevron-down'
  import X from '@lucide/svelte/icons/x'
  import { Popover } from 'bits-ui'
  import { createQuery } from '@tanstack/svelte-query'
  import { api, data } from '../api/client'
  import { currentDataset, useDatasets } from '../api/queries'
  import { asKnown, setParam } from '../lib/address.svelte'

  // By what was known when: the newest records, or those of a moment or a load of the past.
  const datasets = useDatasets()
  const dataset = $derived(currentDataset(datasets.data))
  const known = $derived(asKnown())
  let open = $state(false)
  let typed = $state('')

  const listed = 6
  const loads = createQuery(() => {
    const name = dataset?.attached ? undefined : dataset?.name
    return {
      queryKey: ['loads', name, 'known'],
      queryFn: async () =>
        data(
          await api.GET('/datasets/{name}/loads', { params: { path: { name: name! }, query: { limit: listed } } }),
        ).items.filter((l) => !l.undone_at),
      enabled: open && name !== undefined,
    }
  })
  function choose(state: string | null) {
    setParam('known', state === '' ? null : state)
    open = false
  }
</script>

<Popover.Root bind:open onOpenChange={() => (typed = known)}>
  <Popover.Trigger
    class={['button', known !== '' && 'bg-asof! text-card! font-semibold']}
    title="By what was known when: the records of an earlier moment or load"
    data-known={known}
    >As known {known === ''
      ? 'now'
      : /^load/.test(known)
        ? `after ${known}`
        : `at ${known.replace('T', ' ')}`}<ChevronDown class="ml-1 size-3.5" aria-hidden="true" /></Popover.Trigger
  >
  <Popover.Portal>
    <Popover.Content class="card z-40 w-[min(22rem,94vw)] p-3 shadow-lg" sideOffset={6} align="start">
      <form
        onsubmit={(e) => {
          e.preventDefault()
          choose(typed.trim())
        }}
      >
        <label class="label" for="as-known">A moment, or a load</label>
        <div class="flex gap-2">
          <input
            id="as-known"
            class="field font-mono text-[0.75rem]"
            bind:value={typed}
            placeholder="2026-10-05T09:00"
            spellcheck="false"
            autocomplete="off"
          />
          <button class="button button-strong" disabled={typed.trim() === known}>Set</button>
        </div>
      </form>
      {#if dataset && loads.data && loads.data.length > 0}
        <h3 class="label mt-3">After a load of {dataset.name}</h3>
        <ul>
          {#each loads.data as l (l.id)}
            <li>
              <button
                class="w-full rounded-md px-2 py-1 text-left hover:bg-ahead"
                onclick={() => choose(`load ${l.id}`)}
                >load {l.id}
                <span class="text-2xs text-quiet">{l.file}, {l.loaded_at.slice(0, 16).replace('T', ' ')}</span></button
              >
            </li>
          {/each}
        </ul>
      {/if}
      <p class="mt-2 text-2xs text-quiet">
        The as-of day says which days; this says by what was known of them then. Attached tables keep no history.
      </p>
    </Popover.Content>
  </Popover.Portal>
</Popover.Root>
{#if known !== ''}<button
    class="button px-2"
    aria-label="As known now"
    title="Back to what is known now"
    onclick={() => choose(null)}><X class="size-4" /></button
  >{/if}
