<script lang="ts">
  import { createQuery, keepPreviousData, useQueryClient } from '@tanstack/svelte-query'
  import SpanChips from './SpanChips.svelte'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'
  import { api, data, succeed, type Schemas } from '../../api/client'
  import { may, useSession } from '../access/session'
  import { long, short } from '../../lib/days'
  import { useAsOf } from '../../api/queries'
  import { params, setAsOf, setParam } from '../../lib/address.svelte'

  const asOf = useAsOf()
  const client = useQueryClient()
  const session = useSession()
  type Finding = Schemas['Finding']
  let problem = $state<Error | null>(null)
  async function acknowledge(f: Finding) {
    problem = null
    const body = { kind: f.kind, spans: f.spans, ...(f.caution ? { caution: f.caution } : {}) }
    try {
      succeed(
        f.acknowledged
          ? await api.POST('/check/acknowledgements/withdraw', { body })
          : await api.POST('/check/acknowledgements', { body }),
      )
      await client.invalidateQueries({ queryKey: ['checked'] })
    } catch (e) {
      problem = e as Error
    }
  }
  const over = $derived(params('over'))
  const check = createQuery(() => {
    const r = asOf.moment
    return {
      queryKey: ['checked', over, r],
      queryFn: async () =>
        data(await api.POST('/check', { body: { ...(over.length > 0 ? { expressions: over } : {}), ...r! } })),
      enabled: r !== null,
      placeholderData: keepPreviousData,
    }
  })
  const words: Record<string, string> = {
    refused: 'Refused',
    'no-days': 'No days',
    'same-days': 'Same days',
    overlap: 'Overlap',
    gap: 'Gap',
    caution: 'Caution',
    'unlike-pair': 'Not like-for-like',
  }
  const acknowledged = $derived(check.data?.findings.filter((f) => f.acknowledged).length ?? 0)
  const open = $derived((check.data?.findings.length ?? 0) - acknowledged)
  const bare = (text: string) => (text.startsWith('@') ? text.slice(1) : text)
</script>

<svelte:head><title>Check · Vast Span</title></svelte:head>

<div class="mb-2.5 flex flex-wrap items-center gap-3">
  <h1 class="text-xl font-semibold tracking-tight">Check</h1>
  <p class="text-quiet">
    {over.length > 0
      ? 'spans that are meant to go together, as of the day'
      : 'every named span by itself, over a year of as-of days'}
  </p>
</div>
<section class="card mb-3.5 grid gap-x-4 gap-y-2.5 p-4 sm:grid-cols-[5.5rem_1fr] sm:items-center">
  <span class="text-quiet">Spans</span>
  <SpanChips {over} context={asOf.moment} onchange={(o) => setParam('over', o)} />
</section>

{#if check.isError}
  <ErrorPanel error={check.error} retry={() => void check.refetch()} />
{:else if !check.data}
  <div class="card h-56 animate-pulse" aria-busy="true" aria-label="Looking"></div>
{:else}
  <p class="mb-2 text-quiet">
    As of <b class="font-semibold text-ink">{long(check.data.as_of)}</b>{check.data.days > 1
      ? ` and the ${check.data.days - 1} days after`
      : ''}; {check.data.checked} spans; {open === 0
      ? 'no problems found'
      : `${open} ${open === 1 ? 'finding' : 'findings'}`}{acknowledged > 0 ? `, ${acknowledged} acknowledged` : ''}
  </p>
  {#if problem}<div class="mb-2"><ErrorPanel error={problem} /></div>{/if}
  <ul class="grid gap-2.5" data-findings>
    {#each check.data.findings as f, i (i)}
      <li class="card px-4 py-3">
        <p>
          <b class="font-semibold text-worse">{words[f.kind] ?? f.kind}</b>
          {#each f.spans as s, j (j)}{j > 0 ? ' and ' : ' '}<b class="font-semibold">{bare(s)}</b>{/each}: {f.text}
        </p>
        {#if check.data.days > 1 && f.as_of.length > 0}
          <p class="mt-1 text-quiet">
            {#each f.as_of.slice(0, 12) as day (day)}<button
                class="mr-2 hover:text-asof"
                title={`Stand on ${long(day)}`}
                onclick={() => setAsOf(day)}>{short(day)}</button
              >{/each}
            {#if f.as_of.length > 12}and {f.as_of.length - 12} more{/if}
          </p>
        {/if}
        {#if f.acknowledged}
          <p class="mt-1 text-quiet" data-acknowledged>
            Acknowledged as expected by {f.acknowledged.author} on {long(f.acknowledged.at.slice(0, 10))}{f.acknowledged
              .note
              ? `: ${f.acknowledged.note}`
              : ''}
          </p>
        {:else}<p class="mt-1 text-inside">→ {f.advice}</p>{/if}
        {#if session.data && may(session.data, 'analyst')}
          <button class="button mt-2" onclick={() => void acknowledge(f)}
            >{f.acknowledged ? 'Withdraw' : 'Acknowledge as expected'}</button
          >
        {/if}
      </li>
    {/each}
  </ul>
{/if}
