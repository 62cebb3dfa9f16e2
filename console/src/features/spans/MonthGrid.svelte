<script lang="ts">
  import type { Interval } from '../../api/client'
  import { months, parts, step, toISO, toNumber, weekdays } from '../../lib/days'
  import EventLegend from '../events/EventLegend.svelte'
  import { allOccurrences, between, useEventLists, words } from '../events/events'

  // Months as grids, the days of a span marked. Colour is not the only sign: days inside are bold,
  // the as-of day has a ring.
  let { intervals, asOf, count = 6 }: { intervals: Interval[]; asOf: string; count?: number } = $props()

  const lists = useEventLists()
  const occurrences = $derived(allOccurrences(lists.data))
  const inside = (day: string) =>
    intervals.some((v) => (v.first_day === null || v.first_day <= day) && (v.last_day === null || day <= v.last_day))

  // The grids end with the month after the later of the span's end and the as-of day, and reach back
  // from there, but keep the as-of day in sight.
  const grids = $derived.by(() => {
    const end = intervals.at(-1)?.last_day ?? asOf
    const latest = end > asOf && toNumber(end) - toNumber(asOf) < 100 ? end : asOf
    const lastMonth = latest.slice(0, 8) + '01'
    return Array.from({ length: count }, (_, i) => {
      const first = step(lastMonth, 0, i - count + 1)
      const lead = (toNumber(first) + 3) % 7 // Monday first
      const length = toNumber(step(first, 0, 1)) - toNumber(first)
      return { first, lead, days: Array.from({ length }, (_, d) => toISO(toNumber(first) + d)) }
    })
  })
  const marked = $derived.by(() => {
    const [first, last] = [grids[0]?.days[0], grids.at(-1)?.days.at(-1)]
    return first && last ? between(occurrences, first, last) : []
  })
</script>

<div class="grid grid-cols-2 gap-x-3 gap-y-4 sm:grid-cols-3">
  {#each grids as g (g.first)}
    {@const p = parts(g.first)}
    <table class="w-full table-fixed self-start text-center" aria-label={`${months[p.month - 1]} ${p.year}`}>
      <caption class="mb-1 text-left font-semibold">{months[p.month - 1]} {p.year}</caption>
      <thead>
        <tr
          >{#each [1, 2, 3, 4, 5, 6, 0] as w (w)}<th class="text-2xs font-normal text-quiet"
              >{weekdays[w]?.slice(0, 2)}</th
            >{/each}</tr
        >
      </thead>
      <tbody>
        {#each Array.from({ length: Math.ceil((g.lead + g.days.length) / 7) }, (_, w) => w) as w (w)}
          <tr>
            {#each Array.from({ length: 7 }, (_, i) => g.days[w * 7 + i - g.lead]) as day, i (i)}
              {@const on = day !== undefined && inside(day)}
              {@const events = day === undefined ? [] : between(marked, day, day)}
              <td class="h-6.5 p-0">
                {#if day}
                  <span
                    class={[
                      'relative grid h-6 w-full place-items-center',
                      on && 'bg-inside font-semibold text-card',
                      day === asOf && 'rounded-md outline-2 -outline-offset-1 outline-asof',
                    ]}
                    data-inside={on || undefined}
                    title={events.length > 0 ? events.map(words).join('\n') : undefined}
                  >
                    {parts(day).day}
                    {#if events[0]}<span
                        class="absolute inset-x-1 bottom-0 h-1 rounded-xs"
                        style:background-color={events[0].colour}
                        data-event={events[0].list}
                      ></span>{/if}
                  </span>
                {/if}
              </td>
            {/each}
          </tr>
        {/each}
      </tbody>
    </table>
  {/each}
</div>
<EventLegend occurrences={marked} />
