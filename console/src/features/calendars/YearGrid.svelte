<script lang="ts">
  import type { Schemas } from '../../api/client'
  import { countDays } from '../../lib/numbers'
  import { long, parts, range, toISO, toNumber, weekdays } from '../../lib/days'
  import EventLegend from '../events/EventLegend.svelte'
  import { allOccurrences, between, useEventLists, words } from '../events/events'

  // A year of a calendar: a card for each period with its weeks and days.
  interface Props {
    year: Schemas['CalendarYear']
    asOf: string | null
    /** What a day does that is clicked. */
    onday: (day: string) => void
    doing?: string
  }
  let { year: y, asOf, onday, doing }: Props = $props()

  type Unit = Schemas['CalendarUnit']
  const grid = $derived(y.weeks[0]?.first_day ?? y.first_day)
  const holidays = $derived(new Set(y.holidays))
  const lists = useEventLists()
  const marked = $derived(between(allOccurrences(lists.data), y.first_day, y.last_day))
  const holding = (list: Unit[] | undefined, day: string) => list?.find((u) => u.first_day <= day && day <= u.last_day)
  const away = (offset: number) => (offset === 0 ? 'the same' : offset < 0 ? `${-offset} before` : `${offset} after`)

  // The weeks of a period: rows of seven days, those of other periods left blank.
  function rows(p: Unit, weeks: Unit[], first: string) {
    const start = toNumber(p.first_day) - ((((toNumber(p.first_day) - toNumber(first)) % 7) + 7) % 7)
    const list = []
    for (let d = start; d <= toNumber(p.last_day); d += 7) {
      const days = Array.from({ length: 7 }, (_, i) => toISO(d + i))
      list.push({
        week: holding(weeks, toISO(d)),
        days: days.map((x) => (x >= p.first_day && x <= p.last_day ? x : null)),
      })
    }
    return list
  }
  function hint(day: string): string {
    const lines = [long(day)]
    for (const u of [holding(y.weeks, day), holding(y.periods, day), holding(y.quarters, day), holding(y.halves, day)])
      if (u) lines.push(`${u.label}: ${away(u.offset)}`)
    if (holidays.has(day)) lines.push('holiday')
    lines.push(...between(marked, day, day).map(words))
    if (doing) lines.push(doing)
    return lines.join('\n')
  }
</script>

<div class="grid grid-cols-1 gap-2.5 sm:grid-cols-2 xl:grid-cols-3" data-calendar-year>
  {#each y.periods as p (p.first_day)}
    {@const q = holding(y.quarters, p.first_day)}
    <section class={['card px-3 pt-2 pb-2.5', p.offset === 0 && 'border-asof']}>
      <h2 class="mb-1 flex items-baseline gap-2">
        <b class="font-semibold">{p.label}</b><span class="text-2xs text-quiet">{range(p)}, {countDays(p.days)}</span>
        <span class="ml-auto text-2xs text-quiet">{q?.label.split(' ')[0]}, {p.offset > 0 ? '+' : ''}{p.offset}</span>
      </h2>
      <table class="w-full table-fixed text-center">
        <thead>
          <tr class="text-2xs text-quiet"
            ><th class="w-9 text-left font-normal">wk</th
            >{#each Array.from({ length: 7 }, (_, i) => parts(toISO(toNumber(grid) + i)).weekday) as w (w)}<th
                class="font-normal">{w.slice(0, 2)}</th
              >{/each}</tr
          >
        </thead>
        <tbody>
          {#each rows(p, y.weeks, grid) as r, i (i)}
            <tr>
              <th class="text-left text-2xs font-normal text-quiet" scope="row">{r.week?.label.split(' ')[0] ?? ''}</th>
              {#each r.days as day, j (j)}
                <td class="h-6 p-0">
                  {#if day}
                    {@const free =
                      y.non_working.includes(
                        (weekdays.indexOf(parts(day).weekday as (typeof weekdays)[number]) + 6) % 7,
                      ) || holidays.has(day)}
                    <button
                      class={[
                        'relative mx-auto grid size-6 place-items-center rounded-md hover:bg-ahead',
                        free && 'text-quiet',
                        day === asOf && 'font-semibold outline-2 outline-asof',
                      ]}
                      title={hint(day)}
                      tabindex="-1"
                      onclick={() => onday(day)}
                    >
                      {parts(day).day}
                      {#if between(marked, day, day)[0]}<span
                          class="absolute inset-x-0.5 bottom-0 h-0.75 rounded-xs"
                          style:background-color={between(marked, day, day)[0]?.colour}
                          data-event
                        ></span>{/if}
                      {#if holidays.has(day)}<span class="absolute top-0 right-0 size-1.5 rounded-full bg-plan"
                        ></span>{/if}
                    </button>
                  {/if}
                </td>
              {/each}
            </tr>
          {/each}
        </tbody>
      </table>
    </section>
  {/each}
</div>
<EventLegend occurrences={marked} />
