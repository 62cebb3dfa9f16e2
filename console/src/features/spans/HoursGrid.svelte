<script lang="ts">
  import type { Schemas } from '../../api/client'
  import { long, step, toNumber } from '../../lib/days'
  import { wallDays } from '../../lib/moments'

  // The hours of the days around the as-of day that a span of moments touches, as the clock shows them.
  let { moments, asOf, time }: { moments: Schemas['MomentRun'][]; asOf: string; time: string | null } = $props()

  const hours = Array.from({ length: 24 }, (_, h) => h)
  const runs = $derived(moments.map(wallDays))
  const most = 9
  // The days that are touched, those nearest to the as-of day where there are many.
  const days = $derived.by(() => {
    const centre = toNumber(asOf)
    const all: string[] = []
    for (let d = -most; d <= most; d++) {
      const day = centre + d
      if (d === 0 || runs.some((r) => r.start < day + 1 && r.end > day)) all.push(step(asOf, d))
    }
    const near = (day: string) => Math.abs(toNumber(day) - centre)
    return all.length <= most
      ? all
      : [...all]
          .sort((a, b) => near(a) - near(b))
          .slice(0, most)
          .sort()
  })
  const bars = (day: string) => {
    const at = toNumber(day)
    return runs
      .filter((r) => r.start < at + 1 && r.end > at)
      .map((r) => ({ left: Math.max(r.start - at, 0), right: Math.min(r.end - at, 1) }))
  }
  const now = $derived(time === null ? null : (Number(time.slice(0, 2)) * 60 + Number(time.slice(3))) / 1440)
</script>

<div class="grid grid-cols-[8rem_1fr] items-center gap-x-3 gap-y-1.5" data-hours>
  <span></span>
  <div class="relative h-4 text-2xs text-quiet" aria-hidden="true">
    {#each hours.filter((h) => h % 3 === 0) as h (h)}
      <span class="absolute -translate-x-1/2 first:translate-x-0" style:left={(h / 24) * 100 + '%'}
        >{String(h).padStart(2, '0')}</span
      >
    {/each}
  </div>
  {#each days as day (day)}
    <span class={['whitespace-nowrap', day === asOf && 'font-semibold']}>{long(day).replace(/ \d{4}$/, '')}</span>
    <div class={['relative h-5 rounded-sm border border-line', day === asOf && 'border-asof']} data-day={day}>
      {#each hours.slice(1) as h (h)}
        <span class="absolute inset-y-0 border-l border-line/60" style:left={(h / 24) * 100 + '%'}></span>
      {/each}
      {#each bars(day) as b, i (i)}
        <span
          class="absolute inset-y-0.5 rounded-xs bg-inside"
          style:left={b.left * 100 + '%'}
          style:width={(b.right - b.left) * 100 + '%'}
        ></span>
      {/each}
      {#if day === asOf && now !== null}
        <span class="absolute -inset-y-1 w-0.5 bg-asof" style:left={now * 100 + '%'}></span>
      {/if}
    </div>
  {/each}
</div>
