<script lang="ts">
  import Plus from '@lucide/svelte/icons/plus'
  import Dayline, { type Line } from './Dayline.svelte'
  import SpanEditor from './SpanEditor.svelte'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'
  import Why from './Why.svelte'
  import type { Span } from '../../api/client'
  import { useAsOf, useTimelines, useSpans } from '../../api/queries'
  import { carried, moveAsOf, param, setParam } from '../../lib/address.svelte'

  const spans = useSpans()
  const asOf = useAsOf()

  const names = $derived(spans.data?.map((s) => s.definition.name) ?? [])
  const timelines = useTimelines(
    () => [...names.map((n) => '@' + n), ...names.map((n) => `@${n}, 1 year earlier`)],
    asOf,
  )
  const lines = $derived<Line[]>(
    (spans.data ?? []).map((s, i) => {
      const now = timelines.at(i)
      const back = timelines.at(i + names.length)
      return {
        name: s.definition.name,
        is: s.definition.calendar ? `${s.definition.is} · ${s.definition.calendar}` : s.definition.is,
        intervals: now?.intervals ?? [],
        days: now?.days ?? null,
        counterpart: back?.intervals ?? [],
        error: now?.error ?? null,
        pending: now === null,
      }
    }),
  )

  // "+" stands for a span that is being made; names never have that sign.
  const chosen = $derived(param('span') ?? names[0] ?? null)
  const making = $derived(chosen === '+' || (spans.isSuccess && names.length === 0))
  const current = $derived<Span | undefined>(making ? undefined : spans.data?.find((s) => s.definition.name === chosen))
</script>

<svelte:head><title>Spans · Vast Span</title></svelte:head>

<div class="mb-2.5 flex flex-wrap items-center gap-2">
  <h1 class="mr-1 text-xl font-semibold tracking-tight">Spans</h1>
  <p class="hidden text-quiet md:block">drag the as-of line; ← → step a day, shift a month</p>
  <a class="button ml-auto" href={'/check' + carried()}>Check</a>
  <button class="button button-strong" onclick={() => setParam('span', '+')}
    ><Plus class="size-3.5" aria-hidden="true" />New span</button
  >
</div>

{#if spans.isError}
  <ErrorPanel error={spans.error} retry={() => void spans.refetch()} />
{:else if spans.isPending || asOf.day === null}
  <div class="card h-96 animate-pulse" aria-busy="true" aria-label="Loading the spans"></div>
{:else}
  {#if timelines.query.isError}<div class="mb-3">
      <ErrorPanel error={timelines.query.error} retry={() => void timelines.query.refetch()} />
    </div>{/if}
  {#if names.length > 0}
    <Dayline {lines} asOf={asOf.day} {chosen} onchoose={(n) => setParam('span', n)} onmove={moveAsOf} />
  {:else}
    <section class="card p-8 text-center">
      <h2 class="font-semibold">No spans are named yet</h2>
      <p class="mt-1 text-quiet">
        Name the ranges of days you keep typing into filters, once. They follow the as-of day by themselves.
      </p>
    </section>
  {/if}

  <div class="mt-3.5 grid gap-3.5 lg:grid-cols-2">
    <SpanEditor
      span={current}
      context={asOf.moment}
      ondone={(n) => setParam('span', n)}
      oncancel={names.length > 0 ? () => setParam('span', null) : undefined}
    />
    <div>
      <Why span={current} context={asOf.moment} />
      {#if current}
        <p class="mt-2.5 text-right">
          <a class="button" href={'/span/' + current.definition.name + carried()}
            >Days, rehearsal and versions of {current.definition.name} →</a
          >
        </p>
      {/if}
    </div>
  </div>
{/if}
