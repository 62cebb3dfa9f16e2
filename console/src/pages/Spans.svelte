<script lang="ts">
  import Plus from '@lucide/svelte/icons/plus'
  import Dayline, { type Line } from '../components/Dayline.svelte'
  import SpanEditor from '../components/SpanEditor.svelte'
  import Trouble from '../components/Trouble.svelte'
  import Why from '../components/Why.svelte'
  import type { Span } from '../lib/api'
  import { useAsOf, useCourses, useSpans } from '../lib/queries'
  import { carried, moveAsOf, param, setParam } from '../lib/state.svelte'

  const spans = useSpans()
  const asOf = useAsOf()

  const names = $derived(spans.data?.map((s) => s.name) ?? [])
  const courses = useCourses(() => [...names.map((n) => '@' + n), ...names.map((n) => `@${n}, 1 year earlier`)], asOf)
  const lines = $derived<Line[]>(
    (spans.data ?? []).map((s, i) => {
      const now = courses.at(i)
      const back = courses.at(i + names.length)
      return {
        name: s.name,
        is: s.calendar ? `${s.is} · ${s.calendar}` : s.is,
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
  const current = $derived<Span | undefined>(making ? undefined : spans.data?.find((s) => s.name === chosen))
</script>

<svelte:head><title>Spans · Vast Span</title></svelte:head>

<div class="mb-2.5 flex flex-wrap items-center gap-2">
  <h1 class="mr-1 text-xl font-semibold tracking-tight">Spans</h1>
  <p class="hidden text-quiet md:block">drag the as-of line; ← → step a day, shift a month</p>
  <a class="button ml-auto" href={'/check' + carried()}>Check</a>
  <button class="button button-strong" onclick={() => setParam('span', '+')}><Plus class="size-3.5" aria-hidden="true" />New span</button>
</div>

{#if spans.isError}
  <Trouble error={spans.error} again={() => void spans.refetch()} />
{:else if spans.isPending || asOf.day === null}
  <div class="card h-96 animate-pulse" aria-busy="true" aria-label="Loading the spans"></div>
{:else}
  {#if courses.query.isError}<div class="mb-3"><Trouble error={courses.query.error} again={() => void courses.query.refetch()} /></div>{/if}
  {#if names.length > 0}
    <Dayline {lines} asOf={asOf.day} {chosen} onchoose={(n) => setParam('span', n)} onmove={moveAsOf} />
  {:else}
    <section class="card p-8 text-center">
      <h2 class="font-semibold">No spans are named yet</h2>
      <p class="mt-1 text-quiet">Name the stretches of days you keep typing into filters, once. They follow the as-of day by themselves.</p>
    </section>
  {/if}

  <div class="mt-3.5 grid gap-3.5 lg:grid-cols-2">
    <SpanEditor span={current} reading={asOf.reading} ondone={(n) => setParam('span', n)} oncancel={names.length > 0 ? () => setParam('span', null) : undefined} />
    <div>
      <Why span={current} reading={asOf.reading} />
      {#if current}
        <p class="mt-2.5 text-right"><a class="button" href={'/span/' + current.name + carried()}>Days, rehearsal and versions of {current.name} →</a></p>
      {/if}
    </div>
  </div>
{/if}
