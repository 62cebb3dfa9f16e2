<script lang="ts">
  import Download from '@lucide/svelte/icons/download'
  import Table from '@lucide/svelte/icons/table-2'
  import type { Chart } from 'chart.js'
  import { short } from '../lib/days'
  import { formatNumber } from '../lib/numbers'
  import { scrolls } from './scrolls'
  import type { ChartData, Series } from './chart'
  import { otherColour } from './palette'

  // A chart with the same data as a table, and as a picture to keep.
  let {
    kind,
    title,
    labels,
    series,
    future,
    asOf,
    height = 250,
    stacked = false,
    marks,
    onpick,
  }: {
    kind: ChartData['kind']
    title: string
    labels: string[]
    series: Series[]
    future: number
    asOf: string
    height?: number
    stacked?: boolean
    marks?: (string | null)[] | undefined // the events of each unit
    onpick?: (at: number) => void // a bar or point was clicked, by its position
  } = $props()

  let canvas = $state<HTMLCanvasElement | null>(null)
  let asTable = $state(false)
  let theme = $state(0)
  let chart: Chart | null = null

  const shown = (v: number | null) => (v === null ? '–' : formatNumber(String(Math.round(v * 100) / 100)))

  $effect(() => {
    const media = matchMedia('(prefers-color-scheme: dark)')
    const turn = () => theme++
    media.addEventListener('change', turn)
    return () => media.removeEventListener('change', turn)
  })

  // The library comes with the first chart, not with the first page.
  $effect(() => {
    const data: ChartData = { kind, stacked, labels, series, future, asOf: short(asOf), shown }
    if (marks) data.marks = marks
    const [c, d] = [canvas, data]
    void theme
    if (!c) return
    let gone = false
    void import('./chart').then((lib) => {
      if (gone) return
      chart?.destroy()
      chart = lib.draw(c, d)
      if (onpick) {
        chart.options.onClick = (_, hit) => hit[0] && onpick(hit[0].index)
        chart.options.onHover = (_, hit) => (c.style.cursor = hit.length > 0 ? 'pointer' : '')
        chart.update('none')
      }
    })
    return () => {
      gone = true
      chart?.destroy()
      chart = null
    }
  })

  function save() {
    if (!canvas) return
    const picture = document.createElement('canvas')
    picture.width = canvas.width
    picture.height = canvas.height
    const pen = picture.getContext('2d')
    if (!pen) return
    pen.fillStyle = getComputedStyle(document.documentElement).getPropertyValue('--card')
    pen.fillRect(0, 0, picture.width, picture.height)
    pen.drawImage(canvas, 0, 0)
    const link = document.createElement('a')
    link.href = picture.toDataURL('image/png')
    link.download = title.replace(/[^\p{L}\p{N}]+/gu, '-').toLowerCase() + '.png'
    link.click()
  }

  const swatch = (s: Series) =>
    s.role === 'inside'
      ? 'bg-inside'
      : s.role === 'plan'
        ? 'bg-plan'
        : s.role === 'counterpart'
          ? kind === 'bars'
            ? 'bg-inside-light'
            : 'bg-quiet'
          : ''
  const colour = (s: Series, i: number) =>
    s.role === 'other' ? otherColour(series.slice(0, i).filter((o) => o.role === 'other').length) : undefined
</script>

<div class="mb-1 flex flex-wrap items-center gap-x-3 gap-y-1">
  {#each series as s, i (s.label)}
    <span class="flex items-center gap-1.5 text-2xs text-quiet"
      ><span
        class={kind === 'bars'
          ? ['inline-block size-2.5', swatch(s)]
          : s.role === 'plan'
            ? 'inline-block w-4 border-t-2 border-dotted border-plan'
            : ['inline-block h-0.5 w-3.5', swatch(s)]}
        style:background-color={colour(s, i)}
        aria-hidden="true"
      ></span>{s.label}</span
    >
  {/each}
  {#if marks?.some((m) => m !== null)}<span class="text-2xs text-quiet" data-event-marks
      ><span aria-hidden="true">▾</span> an event is in the unit</span
    >{/if}
  <span class="ml-auto flex gap-1 print:hidden">
    <button class="chip" aria-pressed={asTable} onclick={() => (asTable = !asTable)}
      ><Table class="size-3" aria-hidden="true" />{asTable ? 'Chart' : 'Table'}</button
    >
    {#if !asTable}<button class="chip" onclick={save} aria-label={`${title} as PNG`}
        ><Download class="size-3" aria-hidden="true" />PNG</button
      >{/if}
  </span>
</div>
{#if asTable}
  <div class="overflow-auto" {@attach scrolls} style:max-height={height + 'px'}>
    <table class="w-full" data-chart-table>
      <thead>
        <tr class="h-7 text-quiet"
          ><th class="text-left font-normal">unit</th>{#each series as s (s.label)}<th
              class="px-2 text-right font-normal">{s.label}</th
            >{/each}</tr
        >
      </thead>
      <tbody>
        {#each labels as l, i (i)}
          <tr class="h-7 border-t border-line/60">
            <th class="text-left font-normal" scope="row"
              >{l}{#if marks?.[i]}<span class="block text-2xs whitespace-pre-line text-quiet">{marks[i]}</span>{/if}</th
            >
            {#each series as s (s.label)}<td class="px-2 text-right"
                >{shown(s.values[i] ?? null)}{s.partial[i] ? '*' : ''}</td
              >{/each}
          </tr>
        {/each}
      </tbody>
    </table>
  </div>
{:else}
  <div
    class="relative"
    style:height={height + 'px'}
    role="img"
    aria-label={`${title}: ${series.map((s) => s.label).join(', ')}; the same as a table by the button Table`}
  >
    <canvas class="max-w-full" bind:this={canvas} data-chart></canvas>
  </div>
{/if}
