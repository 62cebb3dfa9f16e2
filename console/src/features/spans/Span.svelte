<script lang="ts">
  import ArrowLeft from '@lucide/svelte/icons/arrow-left'
  import HoursGrid from './HoursGrid.svelte'
  import MonthGrid from './MonthGrid.svelte'
  import Rehearsal from './Rehearsal.svelte'
  import SpanEditor from './SpanEditor.svelte'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'
  import Versions from './Versions.svelte'
  import Why from './Why.svelte'
  import { extent, size } from '../../lib/moments'
  import { useAsOf, useResolve, useTimelines, useSpans } from '../../api/queries'
  import { asOfTime, carried } from '../../lib/address.svelte'
  import { navigate, route } from '../../router'

  const spans = useSpans()
  const asOf = useAsOf()
  const name = $derived(decodeURIComponent(route.params.name ?? ''))
  const span = $derived(spans.data?.find((s) => s.definition.name === name))
  const timelines = useTimelines(() => (span ? ['@' + span.definition.name] : []), asOf)
  const now = $derived(timelines.at(0))
  const moments = useResolve(
    () => (span ? ['@' + span.definition.name] : []),
    () => asOf.moment,
  )
  // A timeline goes by days: a span of moments is told by its moments once they are there.
  const reads = $derived({ intervals: now?.intervals ?? [], moments: moments.data?.resolutions[0]?.moments })

  function done(next: string | null) {
    if (next === null) void navigate('/', { search: carried().slice(1) })
  }
</script>

<svelte:head><title>{name} · Vast Span</title></svelte:head>

<div class="mb-2.5 flex flex-wrap items-center gap-3">
  <a class="button px-2" href={'/' + carried()} aria-label="Back to the spans"><ArrowLeft class="size-4" /></a>
  <h1 class="text-xl font-semibold tracking-tight">{name}</h1>
  {#if now && span}
    <p data-span-days>
      {#if now.error && !reads.moments}<span class="text-worse">{now.error}</span>{:else}<b class="font-semibold"
          >{extent(reads)}</b
        >
        <span class="text-quiet">{size(reads)}</span>{/if}
    </p>
  {/if}
</div>

{#if spans.isError}
  <ErrorPanel error={spans.error} retry={() => void spans.refetch()} />
{:else if spans.isPending || asOf.day === null}
  <div class="card h-96 animate-pulse" aria-busy="true" aria-label="Loading the span"></div>
{:else if !span}
  <section class="card p-8 text-center">
    <h2 class="font-semibold">No span is named {name}</h2>
    <a class="button mt-4" href={'/' + carried()}>To the spans</a>
  </section>
{:else}
  <div class="grid grid-cols-1 items-start gap-3.5 lg:grid-cols-[9fr_11fr]">
    <SpanEditor {span} context={asOf.moment} ondone={done} />
    <Why {span} context={asOf.moment} />
    {#if reads.moments}
      <section class="card p-4 lg:col-span-2" aria-label="Hours">
        <h2 class="mb-2">
          <b class="font-semibold">Hours</b>
          <span class="text-quiet">inside are filled; the days are those of the clock's dates</span>
        </h2>
        <HoursGrid moments={reads.moments} asOf={asOf.day} time={asOfTime()} />
      </section>
    {/if}
    <section class="card p-4" aria-label="Days">
      <h2 class="mb-2">
        <b class="font-semibold">Days</b> <span class="text-quiet">inside are filled; the ring is the as-of day</span>
      </h2>
      <MonthGrid intervals={now?.intervals ?? []} asOf={asOf.day} />
    </section>
    <Rehearsal expression={'@' + span.definition.name} context={asOf.moment} />
    <div class="lg:col-span-2"><Versions name={span.definition.name} /></div>
  </div>
{/if}
