<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query'
  import ArrowLeft from '@lucide/svelte/icons/arrow-left'
  import TableTools from '../../ui/TableTools.svelte'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'
  import { api, data, type As, type Schemas } from '../../api/client'
  import { toCSV } from '../../lib/csv'
  import { long, range } from '../../lib/days'
  import { formatNumber, sign } from '../../lib/numbers'
  import { spanName } from '../../lib/query'
  import { scrolls } from '../../ui/scrolls'
  import { carried } from '../../lib/address.svelte'
  import { route } from '../../router'

  const id = $derived(Number(route.params.id ?? 0))
  const receipt = createQuery(() => ({
    queryKey: ['receipt', id],
    queryFn: async () => data(await api.GET('/receipts/{id}', { params: { path: { id } } })),
  }))
  const comparison = createQuery(() => ({
    queryKey: ['comparison', id],
    queryFn: async () => data(await api.GET('/receipts/{id}/comparison', { params: { path: { id } } })),
    staleTime: 0,
  }))

  const page = (path: string, keys: Record<string, string>) =>
    `${path}?${new URLSearchParams({ ...keys, as_of: receipt.data?.as_of ?? '' }).toString()}`
  const changedSince = (dataset: string) =>
    page('/records', { dataset, view: 'changes', since: `receipt ${id}`, over: 'all dates' })
  const knownThen = (dataset: string) => page('/totals', { dataset, known: `receipt ${id}` })

  const take = (as: As) => api.GET('/receipts/{id}', { params: { path: { id } }, ...as })
  const days = (text: string) => {
    if (text === '') return 'no days'
    const parts = text.split(';').map((p) => p.split('/'))
    const open = (t: string | undefined) => (t === undefined || t === '..' ? null : t)
    return range({ first_day: open(parts[0]?.[0]), last_day: open(parts.at(-1)?.[1]) })
  }
  const changed = $derived(new Map((comparison.data?.changed ?? []).map((m) => [m.cell.id, m])))
  const csv = () =>
    toCSV([
      ['item', 'dataset', 'span', 'days', 'unit', 'group', 'figure', 'value'],
      ...(receipt.data?.cells ?? []).map((c) => [
        c.item ?? null,
        c.dataset,
        c.expression,
        c.days,
        c.unit ?? null,
        c.group?.join('; ') ?? null,
        c.figure,
        c.value,
      ]),
    ])
  function countsOf(c: Schemas['ReceiptComparison']): string {
    if (c.changed.length === 0) return 'No figure has changed since'
    const of = (state: string) => c.changed.filter((m) => m.state === state).length
    const more = ['gone', 'new'].filter((state) => of(state) > 0).map((state) => `, ${of(state)} ${state}`)
    return `${of('changed')} of ${c.compared} figures have changed since${more.join('')}`
  }
  const effect = (value: string | null) =>
    value === null ? '' : `${sign(value) > 0 ? '+' : ''}${formatNumber(value)}: `
</script>

<svelte:head><title>Receipt {id} · Vast Span</title></svelte:head>

{#if receipt.isError}
  <ErrorPanel error={receipt.error} retry={() => void receipt.refetch()} />
{:else if receipt.isPending}
  <div class="card h-96 animate-pulse" aria-busy="true" aria-label="Loading the receipt"></div>
{:else}
  {@const r = receipt.data}
  <div class="mb-2.5 flex flex-wrap items-center gap-3">
    <a class="button px-2" href={'/receipts' + carried()} aria-label="Back to the receipts"
      ><ArrowLeft class="size-4" /></a
    >
    <h1 class="max-w-[40rem] truncate text-xl font-semibold tracking-tight" title={r.title}>{r.title}</h1>
    <span class="text-quiet">receipt {r.id}, as of {long(r.as_of)}{r.at_close ? ', at close' : ''}, {r.calendar}</span>
    <div class="ml-auto"><TableTools {csv} {take} /></div>
  </div>

  <section class="card mb-3.5 p-4" aria-label="Since then" data-comparison>
    {#if comparison.isError}
      <p class="text-worse">{comparison.error.message}</p>
    {:else if comparison.isPending}
      <p class="text-quiet" aria-busy="true">Asking the same again…</p>
    {:else}
      {@const c = comparison.data}
      <h2 class="font-semibold">
        {countsOf(c)}
      </h2>
      <ul class="mt-1">
        {#each c.since as r, i (i)}<li data-since={r.code}>{r.text}</li>{:else}<li class="text-quiet">
            No definition was changed, nothing was loaded, no load was undone.
          </li>{/each}
        {#each c.missing ?? [] as text (text)}<li class="text-worse">Cannot be shown any more: {text}</li>{/each}
      </ul>
    {/if}
  </section>

  <section class="card overflow-x-auto" {@attach scrolls}>
    <table class="w-full" data-receipt>
      <thead>
        <tr class="h-9 border-b border-line text-quiet">
          {#if r.brief}<th class="px-4 text-left font-normal">item</th>{/if}
          <th class="px-3 text-left font-normal">span</th><th class="px-3 text-left font-normal">days</th><th
            class="px-3 text-left font-normal">part</th
          ><th class="px-3 text-left font-normal">figure</th>
          <th class="px-3 text-right font-normal">reported</th><th class="px-4 text-right font-normal">now</th>
        </tr>
      </thead>
      <tbody>
        {#each r.cells ?? [] as c, i (i)}
          {@const m = changed.get(c.id)}
          {@const first = i === 0 || r.cells?.[i - 1]?.item !== c.item}
          <tr
            class={[
              'h-8 hover:bg-ahead',
              first ? 'border-t border-line' : 'border-t border-line/50',
              m && 'bg-asof-wash',
            ]}
          >
            {#if r.brief}<th class="max-w-56 truncate px-4 text-left font-semibold" scope="row" title={c.item}
                ><span class={first ? '' : 'sr-only'}>{c.item}</span></th
              >{/if}
            <td class="px-3 whitespace-nowrap">{spanName(c.expression)}</td>
            <td class="px-3 whitespace-nowrap text-quiet">{days(c.days)}</td>
            <td class="px-3 whitespace-nowrap">{[c.unit, ...(c.group ?? [])].filter(Boolean).join(', ')}</td>
            <td class="px-3 text-quiet">{c.figure.replaceAll('_', ' ')}</td>
            <td class="px-3 text-right">{formatNumber(c.value)}</td>
            <td class={['px-4 text-right', m ? 'font-semibold' : 'text-quiet']}
              >{m ? (m.state === 'gone' ? 'gone' : formatNumber(m.now)) : comparison.data ? '=' : ''}</td
            >
          </tr>
          {#if m}
            <tr class="bg-asof-wash" data-changed>
              <td class="px-4 pb-1.5 text-right text-2xs" colspan={r.brief ? 7 : 6}
                >{m.difference
                  ? `difference ${sign(m.difference) > 0 ? '+' : ''}${formatNumber(m.difference)}; `
                  : ''}{m.reasons.map((x) => effect(x.effect) + x.text).join('; ')}</td
              >
            </tr>
          {/if}
        {/each}
      </tbody>
    </table>
  </section>
  <p class="mt-2.5 text-quiet">
    Created {new Date(r.created_at).toLocaleString('en-GB', { dateStyle: 'long', timeStyle: 'short' })} by {r.schedule
      ? `schedule ${r.schedule}`
      : r.author}. Checksum <code class="font-mono text-2xs break-all">{r.checksum}</code>
    {r.verified ? 'verified' : 'does not match what is kept'}. By {(r.definitions ?? [])
      .map((d) => `${d.kind} ${d.name} version ${d.version}`)
      .join(', ')}; {(r.loads ?? []).map((l) => `${l.dataset} through load ${l.newest}`).join(', ')}.
  </p>
  <p class="mt-1.5 flex flex-wrap items-center gap-1.5 text-quiet print:hidden">
    Records that changed since:
    {#each r.loads ?? [] as l (l.dataset)}<a class="chip" href={changedSince(l.dataset)}>{l.dataset}</a>{/each}
    · asked as known then:
    {#each r.loads ?? [] as l (l.dataset)}<a class="chip" href={knownThen(l.dataset)}>{l.dataset}</a>{/each}
  </p>
  {#each r.missing ?? [] as text (text)}<p class="mt-1">
      <b class="font-semibold text-worse">Not shown then</b>
      {text}
    </p>{/each}
{/if}
