<script lang="ts">
  import Plus from '@lucide/svelte/icons/plus'
  import { ToggleGroup } from 'bits-ui'
  import Dayline, { type Line } from './Dayline.svelte'
  import SpanEditor from './SpanEditor.svelte'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'
  import Why from './Why.svelte'
  import type { Span } from '../../api/client'
  import { useAsOf, useDatasets, useResolve, useTimelines, useSpans } from '../../api/queries'
  import { asOfTime, carried, moveAsOf, param, setAsOf, setParam } from '../../lib/address.svelte'

  const spans = useSpans()
  const asOf = useAsOf()

  const datasets = useDatasets()
  const names = $derived(spans.data?.map((s) => s.definition.name) ?? [])
  const timelines = useTimelines(
    () => [...names.map((n) => '@' + n), ...names.map((n) => `@${n}, 1 year earlier`)],
    asOf,
  )
  // Timelines go by days: what has times is told by its moments once they are there.
  const resolved = useResolve(
    () => [...names.map((n) => '@' + n), ...names.map((n) => `@${n}, 1 year earlier`)],
    () => asOf.moment,
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
        moments: resolved.data?.resolutions[i]?.moments,
        counterpartMoments: resolved.data?.resolutions[i + names.length]?.moments,
        error: resolved.data?.resolutions[i]?.moments ? null : (now?.error ?? null),
        pending: now === null,
      }
    }),
  )

  const reaches = [
    { value: 'year', label: 'a year' },
    { value: 'weeks', label: 'weeks' },
    { value: 'hours', label: 'hours' },
  ] as const
  const reach = $derived(reaches.find((r) => r.value === param('reach'))?.value ?? 'year')
  function toHour(day: string, time: string) {
    setAsOf(day)
    setParam('time', time, true)
  }

  // "+" stands for a span that is being made; names never have that sign.
  const chosen = $derived(param('span') ?? names[0] ?? null)
  const making = $derived(chosen === '+' || (spans.isSuccess && names.length === 0))
  const current = $derived<Span | undefined>(making ? undefined : spans.data?.find((s) => s.definition.name === chosen))
</script>

<svelte:head><title>Spans · Vast Span</title></svelte:head>

<div class="mb-2.5 flex flex-wrap items-center gap-2">
  <h1 class="mr-1 text-xl font-semibold tracking-tight">Spans</h1>
  <p class="hidden text-quiet md:block">drag the as-of line; ← → step a day, shift a month</p>
  <ToggleGroup.Root
    type="single"
    value={reach}
    onValueChange={(v) => setParam('reach', v === 'year' || v === '' ? null : v)}
    class="ml-auto flex gap-1.5"
    aria-label="How much of the line is shown"
  >
    {#each reaches as r (r.value)}
      <ToggleGroup.Item value={r.value} class={['chip', reach === r.value ? 'chip-on' : 'text-quiet']}
        >{r.label}</ToggleGroup.Item
      >
    {/each}
  </ToggleGroup.Root>
  <a class="button" href={'/check' + carried()}>Check</a>
  <button class="button button-strong" onclick={() => setParam('span', '+')}
    ><Plus class="size-3.5" aria-hidden="true" />New span</button
  >
</div>

{#if datasets.data?.length === 0}
  <section class="card mb-3 flex flex-wrap items-center gap-3 px-4 py-3">
    <span class="min-w-0 flex-1"
      ><b>There are no records yet.</b>
      <span class="text-quiet">Bring in a file of yours, of CSV, JSON, XLSX or Parquet.</span></span
    >
    <a class="button button-strong" href={'/data' + carried()} data-first-file>Load a file</a>
  </section>
{/if}
{#if spans.isError}
  <ErrorPanel error={spans.error} retry={() => void spans.refetch()} />
{:else if spans.isPending || asOf.day === null}
  <div class="card h-96 animate-pulse" aria-busy="true" aria-label="Loading the spans"></div>
{:else}
  {#if timelines.query.isError}<div class="mb-3">
      <ErrorPanel error={timelines.query.error} retry={() => void timelines.query.refetch()} />
    </div>{/if}
  {#if names.length > 0}
    <Dayline
      {lines}
      asOf={asOf.day}
      {chosen}
      {reach}
      time={asOfTime()}
      onchoose={(n) => setParam('span', n)}
      onmove={moveAsOf}
      onhour={toHour}
    />
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
