<script lang="ts">
  import ArrowLeft from '@lucide/svelte/icons/arrow-left'
  import MonthGrid from '../components/MonthGrid.svelte'
  import Rehearsal from '../components/Rehearsal.svelte'
  import SpanEditor from '../components/SpanEditor.svelte'
  import Trouble from '../components/Trouble.svelte'
  import Versions from '../components/Versions.svelte'
  import Why from '../components/Why.svelte'
  import { ranges } from '../lib/days'
  import { useAsOf, useCourses, useSpans } from '../lib/queries'
  import { carried } from '../lib/state.svelte'
  import { navigate, route } from '../router'

  const spans = useSpans()
  const asOf = useAsOf()
  const name = $derived(decodeURIComponent(route.params.name ?? ''))
  const span = $derived(spans.data?.find((s) => s.name === name))
  const courses = useCourses(() => (span ? ['@' + span.name] : []), asOf)
  const now = $derived(courses.at(0))

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
      {#if now.error}<span class="text-worse">{now.error}</span>{:else}<b class="font-semibold">{ranges(now.intervals)}</b>
        <span class="text-quiet">{now.days === null ? '' : `${now.days.toLocaleString('en')} ${now.days === 1 ? 'day' : 'days'}`}</span>{/if}
    </p>
  {/if}
</div>

{#if spans.isError}
  <Trouble error={spans.error} again={() => void spans.refetch()} />
{:else if spans.isPending || asOf.day === null}
  <div class="card h-96 animate-pulse" aria-busy="true" aria-label="Loading the span"></div>
{:else if !span}
  <section class="card p-8 text-center">
    <h2 class="font-semibold">No span is named {name}</h2>
    <a class="button mt-4" href={'/' + carried()}>To the spans</a>
  </section>
{:else}
  <div class="grid items-start gap-3.5 lg:grid-cols-2">
    <SpanEditor {span} reading={asOf.reading} ondone={done} />
    <Why {span} reading={asOf.reading} />
    <section class="card p-4" aria-label="Days">
      <h2 class="mb-2"><b class="font-semibold">Days</b> <span class="text-quiet">inside are filled; the ring is the as-of day</span></h2>
      <MonthGrid intervals={now?.intervals ?? []} asOf={asOf.day} />
    </section>
    <Rehearsal expression={'@' + span.name} reading={asOf.reading} />
    <div class="lg:col-span-2"><Versions name={span.name} /></div>
  </div>
{/if}
