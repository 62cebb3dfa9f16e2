<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query'
  import { carried } from '../../lib/address.svelte'
  import { countRecords } from '../../lib/numbers'
  import { route } from '../../router'
  import { dismiss, keepSending, uploads } from './uploads.svelte'

  // What is being loaded, on every page but the one where it was begun.
  const client = useQueryClient()
  const shown = $derived(route.pathname === '/data' ? [] : uploads.list)
  const said = $derived(
    uploads.list
      .filter((u) => u.state !== 'sending')
      .map((u) =>
        u.load
          ? `${countRecords(u.load.records)} of ${u.files} are in ${u.dataset}`
          : `${u.files}: ${u.error?.message ?? ''}`,
      )
      .join('. '),
  )
  const ended = $derived(uploads.list.filter((u) => u.state === 'loaded').length)
  $effect(() => {
    if (ended > 0) void client.invalidateQueries()
  })
</script>

<svelte:window onbeforeunload={keepSending} />

<div class="sr-only" role="status">{said}</div>
{#if shown.length > 0}
  <aside
    class="fixed right-3 bottom-3 z-40 w-[min(22rem,92vw)] space-y-2 print:hidden"
    aria-label="Files that are being loaded"
    data-uploads
  >
    {#each shown as u (u.id)}
      <div class="card p-3 shadow-lg" data-upload={u.state}>
        <div class="flex items-baseline gap-2">
          <span class="min-w-0 flex-1 truncate font-medium" title={u.files}>{u.files}</span>
          <span class="text-quiet">into {u.dataset}</span>
        </div>
        {#if u.state === 'sending'}
          <div
            class="mt-2"
            role="progressbar"
            aria-valuenow={Math.round(u.part * 100)}
            aria-valuemin="0"
            aria-valuemax="100"
            aria-label={`${u.files} sent`}
          >
            <div class="h-1.5 overflow-hidden rounded bg-ahead">
              <div class="h-full bg-inside" style:width="{u.part * 100}%"></div>
            </div>
          </div>
          <div class="mt-1.5 flex items-center gap-2 text-quiet">
            <span class="flex-1">{u.part < 1 ? `${Math.round(u.part * 100)} % sent` : 'sent; being stored'}</span>
            <button class="button" onclick={u.cancel}>Cancel</button>
          </div>
        {:else}
          <div class="mt-1 flex items-center gap-2">
            {#if u.load}
              <a
                class="flex-1 text-inside underline"
                href={`/records${carried() ? carried() + '&' : '?'}dataset=${encodeURIComponent(u.dataset)}`}
                >{countRecords(u.load.records)} loaded</a
              >
            {:else}
              <span class="flex-1 text-worse" role="alert">{u.error?.message}</span>
            {/if}
            <button class="button" onclick={() => dismiss(u.id)}>Close</button>
          </div>
        {/if}
      </div>
    {/each}
  </aside>
{/if}
