<script lang="ts" module>
  import type { Interval, Schemas } from '../../api/client'

  export interface Line {
    name: string
    is: string
    intervals: Interval[]
    moments?: Schemas['MomentRun'][] | undefined
    days: number | null
    counterpart: Interval[]
    counterpartMoments?: Schemas['MomentRun'][] | undefined
    error: string | null
    pending: boolean
  }
</script>

<script lang="ts">
  import { months, outer, parts, short, step, toISO, toNumber } from '../../lib/days'
  import EventLegend from '../events/EventLegend.svelte'
  import { allOccurrences, between, useEventLists, words } from '../events/events'
  import { extent, outerTimes, size, wallDays } from '../../lib/moments'

  let {
    lines,
    asOf,
    chosen,
    onchoose,
    onmove,
    reach,
    time,
    onhour,
  }: {
    lines: Line[]
    asOf: string
    chosen: string | null
    onchoose: (name: string) => void
    onmove: (day: string) => void
    reach: 'year' | 'weeks' | 'hours' // how much of the line is shown
    time: string | null // of the as-of day
    onhour: (day: string, time: string) => void
  } = $props()

  // The strip shows from a year and a bit before the as-of day's month to two months after it. While
  // the line is dragged the strip stands still.
  let anchor = $state<string | null>(null)
  const centre = $derived(anchor ?? asOf)
  const around = $derived(toNumber(centre))
  const from = $derived(
    reach === 'hours'
      ? around - 1
      : reach === 'weeks'
        ? around - 28
        : toNumber(step(centre.slice(0, 8) + '01', 0, -13)),
  )
  const to = $derived(
    reach === 'hours' ? around + 2 : reach === 'weeks' ? around + 15 : toNumber(step(centre.slice(0, 8) + '01', 0, 3)),
  )

  const lists = useEventLists()
  const marked = $derived(between(allOccurrences(lists.data), toISO(from), toISO(to - 1)))

  interface Tick {
    at: number
    label: string
    year: string | null
  }
  const ticks = $derived.by(() => {
    const list: Tick[] = []
    const two = (n: number) => String(n).padStart(2, '0')
    if (reach === 'hours') {
      for (let at = from; at < to; at += 0.25)
        list.push({ at, label: two((at % 1) * 24), year: at % 1 === 0 ? short(toISO(at)) : null })
      return list
    }
    if (reach === 'weeks') {
      for (let at = from; at < to; at += 7) list.push({ at, label: short(toISO(at)), year: null })
      return list
    }
    for (let day = toISO(from); toNumber(day) < to; day = step(day, 0, 1)) {
      const p = parts(day)
      list.push({
        at: toNumber(day),
        label: months[p.month - 1] ?? '',
        year: p.month === 1 || list.length === 0 ? String(p.year) : null,
      })
    }
    return list
  })

  // Where there is little room, not every label is shown.
  let room = $state(0)
  const sparse = $derived(room === 0 ? 1 : Math.max(1, Math.ceil((ticks.length * (reach === 'year' ? 30 : 44)) / room)))
  const period = (line: Line) =>
    line.pending ? '…' : line.error ? 'refused' : line.moments ? outerTimes(line.moments) : outer(line.intervals)

  const share = (day: number) => ((Math.min(Math.max(day, from), to) - from) / (to - from)) * 100

  function bars(list: Interval[], moments: Line['moments']) {
    const shown = []
    const runs = moments
      ? moments.map(wallDays)
      : list.map((v) => ({
          start: v.first_day === null ? from : toNumber(v.first_day),
          end: v.last_day === null ? to : toNumber(v.last_day) + 1,
        }))
    for (const { start: first, end } of runs) {
      if (end <= from || first >= to) continue
      shown.push({ left: share(first), width: share(end) - share(first) })
    }
    return shown
  }

  let strip = $state<HTMLElement | null>(null)

  function placeAt(e: PointerEvent): number {
    const box = (strip as HTMLElement).getBoundingClientRect()
    const portion = Math.min(Math.max((e.clientX - box.left) / box.width, 0), 0.99999)
    return from + portion * (to - from)
  }
  function grab(e: PointerEvent) {
    ;(e.currentTarget as HTMLElement).setPointerCapture(e.pointerId)
    anchor = asOf
  }
  function drag(e: PointerEvent) {
    if (anchor === null) return
    const place = placeAt(e)
    const day = toISO(Math.floor(place))
    const hour = `${String(Math.floor((place % 1) * 24)).padStart(2, '0')}:00`
    if (reach === 'hours' && (day !== asOf || hour !== time)) onhour(day, hour)
    else if (reach !== 'hours' && day !== asOf) onmove(day)
  }
  function drop() {
    anchor = null
  }

  // The as-of moment, or the middle of the as-of day.
  const within = $derived(time === null ? 0.5 : (Number(time.slice(0, 2)) * 60 + Number(time.slice(3))) / 1440)
  const asOfShare = $derived(share(toNumber(asOf) + within))
</script>

<div class="card relative overflow-hidden" data-dayline>
  <table class="w-full table-fixed border-collapse">
    <colgroup>
      <col class="w-[44%] sm:w-58" />
      <col />
      <col class="hidden sm:table-column sm:w-44" />
      <col class="w-[14%] sm:w-16" />
    </colgroup>
    <thead>
      <tr class="h-10 text-2xs text-quiet">
        <th class="px-3.5 text-left font-normal">span</th>
        <th class="relative border-l border-line p-0 font-normal">
          <span class="sr-only">on the line of days</span>
          <div class="absolute inset-0 overflow-hidden" aria-hidden="true">
            {#each ticks as t, i (t.at)}
              <span
                class={['absolute top-0 bottom-0 pl-1 text-left', t.at > from && 'border-l border-line']}
                style:left={share(t.at) + '%'}
              >
                <b class="absolute top-1 whitespace-nowrap text-ink">{t.year ?? ''}</b>
                {#if i % sparse === 0}<span class="absolute bottom-1 whitespace-nowrap">{t.label}</span>{/if}
              </span>
            {/each}
            {#each marked as o (o.list + o.first)}
              <span
                class="absolute bottom-0 h-1 rounded-xs"
                style:left={share(toNumber(o.first)) + '%'}
                style:width={`max(${share(toNumber(o.last) + 1) - share(toNumber(o.first))}%, 3px)`}
                style:background-color={o.colour}
                title={words(o)}
                data-event={o.list}
              ></span>
            {/each}
          </div>
        </th>
        <th class="hidden px-3 text-right font-normal sm:table-cell">period</th>
        <th class="px-2 text-right font-normal sm:px-3.5">days</th>
      </tr>
    </thead>
    <tbody>
      {#each lines as line (line.name)}
        <tr
          class={['h-[2.55rem] border-t border-line', chosen === line.name && 'bg-inside-wash']}
          data-span={line.name}
        >
          <th class="px-3.5 text-left font-normal" scope="row">
            <button
              class="block w-full text-left"
              onclick={() => onchoose(line.name)}
              aria-pressed={chosen === line.name}
            >
              <span class="block truncate font-semibold">{line.name}</span>
              <span class="hidden truncate text-[0.71875rem] text-quiet sm:block">{line.is}</span>
              <span class="block truncate text-[0.71875rem] text-quiet sm:hidden">{period(line)}</span>
            </button>
          </th>
          <td class="relative border-l border-line p-0" aria-hidden="true">
            {#each ticks.slice(1) as t (t.at)}<span
                class="absolute inset-y-0 border-l border-line/70"
                style:left={share(t.at) + '%'}
              ></span>{/each}
            {#each bars(line.counterpart, line.counterpartMoments) as b, i (i)}
              <span
                class="absolute bottom-1.5 h-1.5 rounded-xs bg-inside-light"
                style:left={b.left + '%'}
                style:width={`max(${b.width}%, 2px)`}
              ></span>
            {/each}
            {#each bars(line.intervals, line.moments) as b, i (i)}
              <span
                class="absolute top-3.5 h-3 rounded-xs bg-inside"
                style:left={b.left + '%'}
                style:width={`max(${b.width}%, 2px)`}
              ></span>
            {/each}
          </td>
          <td class="hidden px-3 text-right sm:table-cell" data-days>
            {#if line.pending}<span class="text-quiet">…</span>{:else if line.error}<span
                class="text-worse"
                title={line.error}>refused</span
              >{:else}
              {#if line.moments}<span title={extent(line)}>{outerTimes(line.moments)}</span>{:else}{outer(
                  line.intervals,
                )}{/if}
              {#if line.intervals.length > 1 && !line.moments}<span class="block text-[0.71875rem] text-quiet"
                  >{line.intervals.length} intervals</span
                >{/if}
            {/if}
          </td>
          <td class="px-2 text-right text-quiet sm:px-3.5" data-n
            >{line.error || line.pending
              ? ''
              : line.moments
                ? size(line).replace(' hours', '')
                : (line.days?.toLocaleString('en') ?? '∞')}</td
          >
        </tr>
      {/each}
    </tbody>
  </table>
  <!-- The strip that the as-of line moves on lies over the second column. -->
  <div
    class="pointer-events-none absolute inset-y-0 right-[14%] left-[44%] sm:right-60 sm:left-58"
    bind:this={strip}
    bind:clientWidth={room}
  >
    <div
      class="group pointer-events-auto absolute inset-y-0 -ml-2 w-4 cursor-ew-resize touch-none"
      style:left={asOfShare + '%'}
      role="slider"
      tabindex="0"
      aria-label="As-of day"
      aria-valuemin={from}
      aria-valuemax={to - 1}
      aria-valuenow={toNumber(asOf)}
      aria-valuetext={asOf}
      onpointerdown={grab}
      onpointermove={drag}
      onpointerup={drop}
      onpointercancel={drop}
    >
      <span class="absolute inset-y-0 left-1/2 w-0.5 -translate-x-1/2 bg-asof"></span>
      <span
        class="absolute top-0 left-1/2 -translate-x-1/2 rounded-b bg-asof px-2 py-0.5 text-2xs whitespace-nowrap text-card"
        >{short(asOf)}{reach === 'hours' && time !== null ? ` ${time}` : ''}</span
      >
    </div>
  </div>
</div>
<EventLegend occurrences={marked} />
