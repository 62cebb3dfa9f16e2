<script lang="ts">
  import { long, months, toISO, toNumber } from '../../lib/days'
  import { words, written, type Occurrence } from './events'

  // A year on a line: the occurrences of an event, and those of other events in thin marks. Days are added by dragging over them.
  let {
    year,
    own,
    others,
    onadd,
    onpick,
  }: {
    year: number
    own: Occurrence[]
    others: Occurrence[]
    /** Days were dragged over; null where nothing may be changed. */
    onadd: ((first: string, last: string) => void) | null
    onpick: (o: Occurrence) => void
  } = $props()

  const two = (n: number) => String(n).padStart(2, '0')
  const four = (n: number) => String(n).padStart(4, '0')
  const from = $derived(toNumber(`${four(year)}-01-01`))
  const to = $derived(toNumber(`${four(year)}-12-31`) + 1)
  const share = (day: number) => ((Math.min(Math.max(day, from), to) - from) / (to - from)) * 100
  const place = (o: Occurrence) => ({ left: share(toNumber(o.first)), right: share(toNumber(o.last) + 1) })

  let line = $state<HTMLElement | null>(null)
  let begun = $state<number | null>(null)
  let ended = $state<number | null>(null)
  const dragged = $derived(
    begun === null || ended === null ? null : { first: Math.min(begun, ended), last: Math.max(begun, ended) },
  )

  function dayAt(e: PointerEvent): number {
    const box = (line as HTMLElement).getBoundingClientRect()
    const portion = Math.min(Math.max((e.clientX - box.left) / box.width, 0), 0.99999)
    return from + Math.floor(portion * (to - from))
  }
  function grab(e: PointerEvent) {
    if (!onadd || (e.target as HTMLElement).closest('[data-occurrence]')) return
    ;(e.currentTarget as HTMLElement).setPointerCapture(e.pointerId)
    begun = ended = dayAt(e)
  }
  function drop() {
    if (dragged) onadd?.(toISO(dragged.first), toISO(dragged.last))
    begun = ended = null
  }
</script>

<div class="grid grid-cols-[3rem_1fr] items-center gap-2" data-year-line={year}>
  <b class="text-right font-semibold">{year}</b>
  <!-- What is dragged can also be typed in the two fields below. -->
  <!-- svelte-ignore a11y_no_static_element_interactions -->
  <div
    class={['relative h-9 rounded-md border border-line select-none', onadd && 'cursor-crosshair touch-none']}
    bind:this={line}
    onpointerdown={grab}
    onpointermove={(e) => begun !== null && (ended = dayAt(e))}
    onpointerup={drop}
    onpointercancel={() => (begun = ended = null)}
  >
    {#each months as m, i (m)}
      <span
        class={['pointer-events-none absolute inset-y-0 pl-1 text-2xs text-quiet', i > 0 && 'border-l border-line/70']}
        style:left={share(toNumber(`${four(year)}-${two(i + 1)}-01`)) + '%'}>{m}</span
      >
    {/each}
    {#each others as o (o.list + o.first)}
      <span
        class="pointer-events-none absolute bottom-0.5 h-1 rounded-xs opacity-60"
        style:left={place(o).left + '%'}
        style:width={`max(${place(o).right - place(o).left}%, 3px)`}
        style:background-color={o.colour}
      ></span>
    {/each}
    {#each own as o (o.first)}
      <button
        class="absolute top-3.5 h-3.5 rounded-xs bg-inside outline-offset-1"
        style:left={place(o).left + '%'}
        style:width={`max(${place(o).right - place(o).left}%, 4px)`}
        title={words(o)}
        aria-label={words(o)}
        data-occurrence={o.first}
        onclick={() => onpick(o)}
      ></button>
    {/each}
    {#if dragged}
      <span
        class="pointer-events-none absolute inset-y-0 border-x border-asof bg-asof/25"
        style:left={share(dragged.first) + '%'}
        style:width={share(dragged.last + 1) - share(dragged.first) + '%'}
      ></span>
      <span
        class="pointer-events-none absolute -top-5 z-10 rounded bg-asof px-1.5 text-2xs whitespace-nowrap text-card"
        style:left={share(dragged.first) + '%'}
        >{dragged.first === dragged.last
          ? long(toISO(dragged.first))
          : written(toISO(dragged.first), toISO(dragged.last)).replace('/', ' to ')}</span
      >
    {/if}
  </div>
</div>
