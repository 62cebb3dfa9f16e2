<script lang="ts">
  import type { Row } from '../../api/client'
  import { isUnfinished } from '../../lib/query'

  // A figure's trend over the units before; the last one, not over, is dashed.
  let { rows }: { rows: Row[] } = $props()

  const width = 72
  const height = 26
  const values = $derived(
    rows.map((r) => (r.cells[0] === null || r.cells[0] === undefined ? null : Number(r.cells[0]))),
  )
  const known = $derived(values.filter((v) => v !== null))
  const low = $derived(Math.min(0, ...known))
  const high = $derived(Math.max(...known, low + 1e-9))
  const acrossAt = (i: number) => (i / Math.max(1, values.length - 1)) * (width - 4) + 2
  const downAt = (v: number) => height - 3 - ((v - low) / (high - low)) * (height - 6)
  const point = (v: number, i: number) => `${acrossAt(i).toFixed(1)},${downAt(v).toFixed(1)}`
  // Runs of known values: a blank leaves a gap.
  const runs = $derived.by(() => {
    const list: string[][] = [[]]
    values.forEach((v, i) => (v === null ? list.push([]) : list.at(-1)?.push(point(v, i))))
    return list.filter((r) => r.length > 0)
  })
  const tail = $derived(rows.slice(-1).some(isUnfinished) && (runs.at(-1)?.length ?? 0) > 1)
</script>

<svg {width} {height} viewBox={`0 0 ${width} ${height}`} aria-hidden="true" class="shrink-0 text-inside" data-spark>
  {#each runs as run, i (i)}
    {@const last = i === runs.length - 1 && tail}
    <polyline
      points={(last ? run.slice(0, -1) : run).join(' ')}
      fill="none"
      stroke="currentColor"
      stroke-width="1.6"
      stroke-linejoin="round"
    />
    {#if last}<polyline
        points={run.slice(-2).join(' ')}
        fill="none"
        stroke="currentColor"
        stroke-width="1.6"
        stroke-dasharray="2.5 2.5"
      />{/if}
  {/each}
</svg>
