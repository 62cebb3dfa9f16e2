<script lang="ts">
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query'
  import ChevronLeft from '@lucide/svelte/icons/chevron-left'
  import ChevronRight from '@lucide/svelte/icons/chevron-right'
  import Pause from '@lucide/svelte/icons/pause'
  import Play from '@lucide/svelte/icons/play'
  import SkipBack from '@lucide/svelte/icons/skip-back'
  import SkipForward from '@lucide/svelte/icons/skip-forward'
  import { api, data } from '../../api/client'
  import type { BriefDefinition } from './briefs'
  import { long, months, parts, short, step, toISO, toNumber } from '../../lib/days'
  import { moveAsOf } from '../../lib/address.svelte'

  // Steps or plays the as-of day and marks the days on which items change kind.
  let { brief, asOf, atClose, calendar }: { brief: BriefDefinition; asOf: string; atClose: boolean; calendar: string } =
    $props()

  let playing = $state(false)
  let anchor = $state<string | null>(null)
  // svelte-ignore state_referenced_locally -- the strip stands still until the day comes near its end
  let centre = $state(asOf)
  $effect(() => {
    if (anchor === null && Math.abs(toNumber(asOf) - toNumber(centre)) > 50) centre = asOf
  })
  const from = $derived(toNumber(centre) - 75)
  const days = 150

  const turns = createQuery(() => ({
    queryKey: ['turns', brief.name, from, atClose, calendar],
    queryFn: async () =>
      data(
        await api.POST('/briefs/{name}/rehearse', {
          params: { path: { name: brief.name } },
          body: { from: toISO(from), days, at_close: atClose, calendar },
        }),
      ),
    placeholderData: keepPreviousData,
  }))
  const share = (day: number) => ((day - from) / days) * 100
  // A label at the end of the axis would be cut off.
  const ticks = $derived(
    Array.from({ length: days - Math.ceil(days / 20) }, (_, i) => toISO(from + i)).filter((d) => d.endsWith('-01')),
  )
  const here = $derived(turns.data?.turns.find((t) => t.day === asOf))
  const before = $derived(turns.data?.turns.findLast((t) => t.day < asOf))
  const after = $derived(turns.data?.turns.find((t) => t.day > asOf))
  const titles = (ids: string[]) =>
    brief.items
      .filter((it) => it.id && ids.includes(it.id))
      .map((it) => it.title)
      .join(', ')

  const pause = matchMedia('(prefers-reduced-motion: reduce)').matches ? 1000 : 350 // milliseconds between days
  $effect(() => {
    if (!playing) return
    const tick = setInterval(() => moveAsOf(step(asOf, 1)), pause)
    return () => clearInterval(tick)
  })

  let strip = $state<HTMLElement | null>(null)
  function dayAt(e: PointerEvent): string {
    const box = (strip as HTMLElement).getBoundingClientRect()
    return toISO(Math.floor(from + Math.min(Math.max((e.clientX - box.left) / box.width, 0), 0.9999) * days))
  }
</script>

<section class="card mb-3.5 overflow-hidden p-3 print:hidden" aria-label="Rehearsal">
  <div class="flex flex-wrap items-center gap-1.5">
    <button
      class="button px-2"
      disabled={!before}
      onclick={() => before && moveAsOf(before.day)}
      aria-label="To the change before"><SkipBack class="size-4" /></button
    >
    <button class="button px-2" onclick={() => moveAsOf(step(asOf, -1))} aria-label="A day back"
      ><ChevronLeft class="size-4" /></button
    >
    <button class="button" aria-pressed={playing} onclick={() => (playing = !playing)}
      >{#if playing}<Pause class="size-3.5" aria-hidden="true" />Pause{:else}<Play
          class="size-3.5"
          aria-hidden="true"
        />Play{/if}</button
    >
    <button class="button px-2" onclick={() => moveAsOf(step(asOf, 1))} aria-label="A day on"
      ><ChevronRight class="size-4" /></button
    >
    <button
      class="button px-2"
      disabled={!after}
      onclick={() => after && moveAsOf(after.day)}
      aria-label="To the next change"><SkipForward class="size-4" /></button
    >
    <p class="min-w-0 flex-1 truncate px-2" role="status" data-turn>
      {#if here}<b class="font-semibold text-asof">{long(here.day)}: {here.changes.join(', ')}</b>
        {titles(here.items)}{:else if after}<span class="text-quiet"
          >next change on {long(after.day)}: {titles(after.items)}</span
        >{/if}
    </p>
  </div>
  <div class="relative mt-2 h-9 touch-none border-t border-line" bind:this={strip}>
    {#each ticks as t (t)}<span
        class="absolute inset-y-0 border-l border-line pl-1 text-2xs text-quiet"
        style:left={share(toNumber(t)) + '%'}
        aria-hidden="true">{months[parts(t).month - 1]}{parts(t).month === 1 ? ' ' + parts(t).year : ''}</span
      >{/each}
    {#each turns.data?.turns ?? [] as t (t.day)}
      <button
        class="absolute bottom-0.5 size-3 -translate-x-1/2 rotate-45 rounded-xs border border-card bg-inside"
        style:left={share(toNumber(t.day) + 0.5) + '%'}
        onclick={() => moveAsOf(t.day)}
        title={`${long(t.day)}: ${titles(t.items)}`}
        aria-label={`${long(t.day)}: ${titles(t.items)}`}
      ></button>
    {/each}
    <div
      class="absolute inset-y-0 -ml-2 w-4 cursor-ew-resize"
      style:left={share(toNumber(asOf) + 0.5) + '%'}
      role="slider"
      tabindex="0"
      aria-label="As-of day"
      aria-valuemin={from}
      aria-valuemax={from + days - 1}
      aria-valuenow={toNumber(asOf)}
      aria-valuetext={asOf}
      onpointerdown={(e) => {
        ;(e.currentTarget as HTMLElement).setPointerCapture(e.pointerId)
        anchor = asOf
      }}
      onpointermove={(e) => {
        if (anchor !== null && dayAt(e) !== asOf) moveAsOf(dayAt(e))
      }}
      onpointerup={() => (anchor = null)}
      onpointercancel={() => (anchor = null)}
    >
      <span class="absolute inset-y-0 left-1/2 w-0.5 -translate-x-1/2 bg-asof"></span>
      <span
        class="pointer-events-none absolute -top-px left-1/2 -translate-x-1/2 rounded-b bg-asof px-1.5 text-2xs whitespace-nowrap text-card"
        >{short(asOf)}</span
      >
    </div>
  </div>
</section>
