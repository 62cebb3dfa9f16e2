<script lang="ts">
  import { carried } from '../../lib/address.svelte'
  import { toCSV } from '../../lib/csv'
  import { long } from '../../lib/days'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'
  import { scrolls } from '../../ui/scrolls'
  import TableTools from '../../ui/TableTools.svelte'
  import { useReceipts } from './receipts'
  import Schedules from './Schedules.svelte'

  const receipts = useReceipts()
  const created = (text: string) => new Date(text).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'short' })
  const csv = () =>
    toCSV([
      ['receipt', 'title', 'type', 'as_of', 'created_at', 'author', 'schedule', 'checksum'],
      ...(receipts.data ?? []).map((r) => [
        String(r.id),
        r.title,
        r.subject,
        r.as_of,
        r.created_at,
        r.author,
        r.schedule ?? null,
        r.checksum,
      ]),
    ])
</script>

<svelte:head><title>Receipts · Vast Span</title></svelte:head>

<div class="mb-2.5 flex flex-wrap items-center gap-3">
  <h1 class="text-xl font-semibold tracking-tight">Receipts</h1>
  <span class="text-quiet">what was reported, frozen</span>
  <div class="ml-auto"><TableTools {csv} /></div>
</div>

{#if receipts.isError}
  <ErrorPanel error={receipts.error} retry={() => void receipts.refetch()} />
{:else if receipts.isPending}
  <div class="card h-40 animate-pulse" aria-busy="true" aria-label="Loading the receipts"></div>
{:else if receipts.data.length === 0}
  <section class="card p-8 text-center">
    <h2 class="font-semibold">No receipt yet</h2>
    <p class="mt-1 text-quiet">
      Open a <a class="text-inside underline" href={'/briefs' + carried()}>brief</a> and press <b>Receipt</b>: what it
      says today can then always be told from what it says later.
    </p>
  </section>
{:else}
  <section class="card overflow-x-auto" {@attach scrolls}>
    <table class="w-full" data-receipts>
      <thead>
        <tr class="h-9 border-b border-line text-quiet">
          <th class="px-4 text-right font-normal">number</th><th class="px-3 text-left font-normal">title</th><th
            class="px-3 text-left font-normal">type</th
          ><th class="px-3 text-left font-normal">as of</th><th class="px-3 text-left font-normal">created</th><th
            class="px-3 text-left font-normal">author</th
          ><th class="px-3 text-left font-normal">checksum</th>
        </tr>
      </thead>
      <tbody>
        {#each receipts.data as r (r.id)}
          <tr class="h-9 border-t border-line/60 hover:bg-ahead">
            <td class="px-4 text-right text-quiet">{r.id}</td>
            <td class="max-w-80 truncate px-3"
              ><a
                class="font-semibold hover:text-inside hover:underline"
                href={`/receipt/${r.id}${carried()}`}
                title={r.title}>{r.title}</a
              ></td
            >
            <td class="px-3 text-quiet">{r.subject}</td>
            <td class="px-3 whitespace-nowrap">{long(r.as_of)}</td>
            <td class="px-3 whitespace-nowrap text-quiet">{created(r.created_at)}</td>
            <td class="px-3 text-quiet">{r.schedule ? `schedule ${r.schedule}` : r.author}</td>
            <td class="px-3 font-mono text-2xs text-quiet">{r.checksum.slice(0, 12)}</td>
          </tr>
        {/each}
      </tbody>
    </table>
  </section>
{/if}

<Schedules />
