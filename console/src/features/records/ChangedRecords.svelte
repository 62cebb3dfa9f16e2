<script lang="ts">
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query'
  import { api, data, type Schemas } from '../../api/client'
  import { asKnown, param, setParam } from '../../lib/address.svelte'
  import { count, formatNumber, sign } from '../../lib/numbers'
  import { wordsOf } from '../../lib/query'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'
  import { scrolls } from '../../ui/scrolls'

  // What changed among the records of a span since an earlier state: which came, went and changed, and what that did to the amounts.
  type Asked = Omit<Schemas['ChangesRequest'], 'since'>
  let { version, asked }: { version: number; asked: Asked } = $props()

  const limit = 100
  const since = $derived(param('since') ?? '')
  let typed = $derived(since)
  const offset = $derived(param('offset') ?? undefined)
  const changes = createQuery(() => {
    const body = { ...asked, since, limit, ...(offset ? { after: offset } : {}) }
    return {
      queryKey: ['changes', version, body],
      queryFn: async () => data(await api.POST('/records/changes', { body })),
      enabled: since !== '',
      placeholderData: keepPreviousData,
    }
  })
  const signed = (v: string | null) => (v !== null && sign(v) > 0 ? '+' : '') + formatNumber(v)
  const cell = (r: Schemas['ChangedRecord'], at: number) => {
    const sides = [r.before, r.after].flatMap((side) => (side ? [side[at] ?? null] : []))
    const text = (v: string | null | undefined) => v ?? '(blank)'
    return sides.length === 2 && sides[0] !== sides[1] ? `${text(sides[0])} → ${text(sides[1])}` : (sides[0] ?? '–')
  }
  const sumsOf = (c: Schemas['Changes']) => [
    { name: 'came', sum: c.came, by: '+' },
    { name: 'went', sum: c.went, by: '−' },
    { name: 'changed', sum: c.changed, by: '' },
  ]
  const tone = { came: 'text-inside', went: 'text-worse', changed: '' }
  const at = (c: Schemas['RecordChange']) =>
    `${c.what}, ${new Date(c.at).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'short' })}`
</script>

<form
  class="mb-2.5 flex flex-wrap items-center gap-2"
  onsubmit={(e) => {
    e.preventDefault()
    setParam('since', typed.trim() || null)
  }}
>
  <label class="text-quiet" for="changes-since">Changed since</label>
  <input
    id="changes-since"
    class="field w-52 font-mono text-[0.75rem]"
    bind:value={typed}
    placeholder="load 12, receipt 4, 2026-10-05T09:00"
    spellcheck="false"
    autocomplete="off"
  />
  <button class="button" disabled={typed.trim() === since}>Set</button>
  <span class="text-quiet">until {asKnown() === '' ? 'now' : `what was known at ${asKnown()}`}</span>
</form>

{#if since === ''}
  <p class="card p-6 text-center text-quiet">Say since when: a load, a receipt, or a moment.</p>
{:else if changes.isError}
  <ErrorPanel error={changes.error} retry={() => void changes.refetch()} />
{:else if !changes.data}
  <div class="card h-64 animate-pulse" aria-busy="true" aria-label="Comparing the states"></div>
{:else}
  {@const c = changes.data}
  <section class="card mb-3.5 overflow-x-auto p-4" {@attach scrolls}>
    <p class="mb-1 text-quiet">From {at(c.since)} to {at(c.until)}</p>
    <table data-changes>
      <thead>
        <tr class="h-8 text-quiet">
          <th></th><th class="px-3 text-right font-normal">records</th>
          {#each c.amounts as name (name)}<th class="px-3 text-right font-normal">{wordsOf(name)}</th>{/each}
        </tr>
      </thead>
      <tbody>
        <tr class="h-8 border-t border-line/60">
          <th class="pr-3 text-left font-normal" scope="row">before</th>
          {#each c.before as v, i (i)}<td class="px-3 text-right tabular-nums">{formatNumber(v)}</td>{/each}
        </tr>
        {#each sumsOf(c) as row (row.name)}
          <tr class="h-8 border-t border-line/60" data-changes-of={row.name}>
            <th class="pr-3 text-left font-normal" scope="row">{row.name}</th>
            <td class="px-3 text-right tabular-nums">{row.sum.records > 0 ? row.by : ''}{count(row.sum.records)}</td>
            {#each row.sum.effects as v, i (i)}<td class="px-3 text-right tabular-nums">{signed(v)}</td>{/each}
          </tr>
        {/each}
        <tr class="h-8 border-t border-quiet font-semibold">
          <th class="pr-3 text-left" scope="row">after</th>
          {#each c.after as v, i (i)}<td class="px-3 text-right tabular-nums">{formatNumber(v)}</td>{/each}
        </tr>
      </tbody>
    </table>
  </section>
  {#if c.records.length > 0}
    <section class="card overflow-auto" {@attach scrolls} style:max-height="max(20rem, calc(100vh - 21rem))">
      <table class="w-full" data-changed-records>
        <thead>
          <tr class="h-9 border-b border-line text-quiet">
            <th class="px-4 text-left font-normal"></th>
            {#each c.columns as column (column.name)}<th
                class={['px-3 font-normal', column.type === 'number' ? 'text-right' : 'text-left']}
                >{wordsOf(column.name)}</th
              >{/each}
          </tr>
        </thead>
        <tbody>
          {#each c.records as r, i (i)}
            <tr class="h-9 border-t border-line/60">
              <td class={['px-4 font-semibold', tone[r.change]]}>{r.change}</td>
              {#each c.columns as column, j (column.name)}<td
                  class={['px-3 whitespace-nowrap', column.type === 'number' && 'text-right tabular-nums']}
                  >{cell(r, j)}</td
                >{/each}
            </tr>
          {/each}
        </tbody>
      </table>
    </section>
    <div class="mt-2.5 flex gap-2">
      <button class="button" disabled={!offset} onclick={() => setParam('offset', null)}>First page</button>
      <button class="button" disabled={!c.next} onclick={() => setParam('offset', c.next ?? null)}>Next page</button>
    </div>
  {:else}
    <p class="card p-6 text-center text-quiet">No record of these days changed.</p>
  {/if}
{/if}
