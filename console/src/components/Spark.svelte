<script lang="ts">
  import type { TotalRow } from '../lib/question'

  // A figure's course over the units before; the last one, not over, is dashed.
  let { rows }: { rows: TotalRow[] } = $props()

  const width = 72
  const height = 26
  const values = $derived(rows.map((r) => (r.values[0] === null || r.values[0] === undefined ? null : Number(r.values[0]))))
  const known = $derived(values.filter((v) => v !== null))
  const low = $derived(Math.min(0, ...known))
  const high = $derived(Math.max(...known, low + 1e-9))
  const point = (v: number, i: number) => `${((i / Math.max(1, values.length - 1)) * (width - 4) + 2).toFixed(1)},${(height - 3 - ((v - low) / (high - low)) * (height - 6)).toFixed(1)}`
  // Runs of known values: a blank leaves a gap.
  const runs = $derived.by(() => {
    const list: string[][] = [[]]
    values.forEach((v, i) => (v === null ? list.push([]) : list.at(-1)?.push(point(v, i))))
    return list.filter((r) => r.length > 0)
  })
  const tail = $derived(rows.at(-1)?.unit && (rows.at(-1)?.unit?.partial || rows.at(-1)?.unit?.in_progress) && (runs.at(-1)?.length ?? 0) > 1)
</script>

<svg {width} {height} viewBox={`0 0 ${width} ${height}`} aria-hidden="true" class="shrink-0 text-inside" data-spark>
  {#each runs as run, i (i)}
    {@const last = i === runs.length - 1 && tail}
    <polyline points={(last ? run.slice(0, -1) : run).join(' ')} fill="none" stroke="currentColor" stroke-width="1.6" stroke-linejoin="round" />
    {#if last}<polyline points={run.slice(-2).join(' ')} fill="none" stroke="currentColor" stroke-width="1.6" stroke-dasharray="2.5 2.5" />{/if}
  {/each}
</svg>
