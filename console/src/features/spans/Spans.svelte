<script lang="ts">
  import Plus from '@lucide/svelte/icons/plus'
  import { ToggleGroup } from 'bits-ui'
  import Dayline, { type Line } from './Dayline.svelte'
  import NewSpan, { type Draft } from './NewSpan.svelte'
  import SpanEditor from './SpanEditor.svelte'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'
  import Why from './Why.svelte'
  import type { Span } from '../../api/client'
  import { useAsOf, useDatasets, useResolve, useTimelines, useSpans } from '../../api/queries'
  import { asOfTime, carried, moveAsOf, param, setAsOf, setParam } from '../../lib/address.svelte'

  /** How many spans are laid out at a time. */
  const screenful = 25

  const spans = useSpans()
  const asOf = useAsOf()

  const datasets = useDatasets()
  // Of many spans those are laid out that are looked for, and not more than can be looked at.
  const search = $derived((param('search') ?? '').trim().toLowerCase())
  let most = $state(screenful)
  const fitting = $derived(
    (spans.data ?? []).filter((s) => {
      const { name, is, about, tags } = s.definition
      const words = [name, is, about ?? '', ...(tags ?? [])].join(' ').toLowerCase()
      return search.split(/\s+/).every((w) => words.includes(w))
    }),
  )
  const shown = $derived(fitting.slice(0, most))
  const names = $derived(shown.map((s) => s.definition.name))
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
    shown.map((s, i) => {
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

  const chosen = $derived(param('span') ?? names[0] ?? null)
  const current = $derived<Span | undefined>(spans.data?.find((s) => s.definition.name === chosen))

  let making = $state(false)
  let from = $state<Draft | null>(null)
  function make(draft: Draft | null) {
    from = draft
    making = true
  }
  /** A name that no span has: that of another one, with a number. */
  function free(name: string): string {
    const taken = new Set((spans.data ?? []).map((s) => s.definition.name))
    let n = 2
    while (taken.has(`${name}-${n}`)) n++
    return `${name}-${n}`
  }
  const duplicate = (s: Span) =>
    make({
      name: free(s.definition.name),
      is: s.definition.is,
      calendar: s.definition.calendar ?? '',
      about: s.definition.about ?? '',
    })
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
  <button class="button button-strong for-analyst" onclick={() => make(null)} data-make-span
    ><Plus class="size-3.5" aria-hidden="true" />New span</button
  >
</div>

{#if datasets.data?.length === 0}
  <section class="card mb-3 flex flex-wrap items-center gap-3 px-4 py-3">
    <span class="min-w-0 flex-1"
      ><b>There are no records yet.</b>
      <span class="text-quiet">Bring in a file of yours, of CSV, JSON, XLSX or Parquet.</span></span
    >
    <a class="button button-strong for-analyst" href={'/data' + carried()} data-first-file>Load a file</a>
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
  {#if (spans.data?.length ?? 0) > screenful / 2 || search !== ''}
    <div class="mb-2.5 flex flex-wrap items-center gap-3">
      <input
        class="field w-72!"
        type="search"
        placeholder="search names, expressions, tags"
        aria-label="Search the spans"
        value={param('search') ?? ''}
        oninput={(e) => ((most = screenful), setParam('search', e.currentTarget.value || null, true))}
      />
      <span class="text-quiet" data-found
        >{fitting.length.toLocaleString('en')} of {(spans.data?.length ?? 0).toLocaleString('en')} spans</span
      >
    </div>
  {/if}
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
    {#if fitting.length > shown.length}
      <p class="mt-2 text-center">
        <button class="button" onclick={() => (most += 4 * screenful)}
          >Show {Math.min(4 * screenful, fitting.length - shown.length)} more of {(
            fitting.length - shown.length
          ).toLocaleString('en')}</button
        >
      </p>
    {/if}
  {:else if search !== ''}
    <section class="card p-8 text-center text-quiet">No span has these words.</section>
  {:else}
    <section class="card p-8 text-center">
      <h2 class="font-semibold">No spans are named yet</h2>
      <p class="mt-1 text-quiet">
        Name the ranges of days you keep typing into filters, once. They follow the as-of day by themselves.
      </p>
      <button class="button button-strong for-analyst mt-4" onclick={() => make(null)}>Name the first one</button>
    </section>
  {/if}

  {#if current}
    <div class="mt-3.5 grid grid-cols-1 gap-3.5 lg:grid-cols-2">
      <SpanEditor
        span={current}
        context={asOf.moment}
        order={(spans.data ?? []).map((s) => s.definition.name)}
        ondone={(n) => setParam('span', n)}
        onduplicate={duplicate}
      />
      <div>
        <Why span={current} context={asOf.moment} />
        <p class="mt-2.5 text-right">
          <a class="button max-w-full py-1 whitespace-normal" href={'/span/' + current.definition.name + carried()}
            >Days, rehearsal and versions of {current.definition.name} →</a
          >
        </p>
      </div>
    </div>
  {/if}
  <NewSpan bind:open={making} asOf={asOf.day} context={asOf.moment} {from} ondone={(n) => setParam('span', n)} />
{/if}
