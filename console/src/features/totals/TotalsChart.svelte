<script lang="ts">
  import type { Answer } from '../../api/client'
  import { param, setParam } from '../../lib/address.svelte'
  import { wordsOf } from '../../lib/query'
  import ChartBox from '../../ui/ChartBox.svelte'
  import Select from '../../ui/Select.svelte'
  import { allOccurrences, marksOf, useEventLists } from '../events/events'
  import { drawn, figuresOf, type Drawing } from './drawing'

  // A breakdown as a chart beside its table.
  let { answer, kind, addsUp }: { answer: Answer; kind: Drawing; addsUp: (figure: number) => boolean } = $props()

  const figures = $derived(
    answer.tables.length > 1 && answer.tables[0]?.across
      ? answer.tables.map((t) => wordsOf(t.title ?? t.figure ?? ''))
      : figuresOf(answer.tables[0]).map((c) => wordsOf(c.title)),
  )
  const chosen = $derived(Math.min(Math.max(0, Number(param('drawn') ?? 0)), Math.max(0, figures.length - 1)))
  const stacks = $derived(kind === 'stacked' && addsUp(chosen))
  const chart = $derived(drawn(answer, chosen, kind))
  const lists = useEventLists()
  const marks = $derived(chart ? marksOf(allOccurrences(lists.data), chart.days) : undefined)
  const title = $derived(figures[chosen] ?? wordsOf(answer.tables[0]?.title ?? answer.dataset))
</script>

{#if chart}
  <section class="card mb-3.5 p-4" aria-label="The breakdown as a chart" data-drawn={kind}>
    {#if figures.length > 1}
      <div class="mb-2 flex items-center gap-2">
        <span class="text-quiet">Drawn</span>
        <Select
          label="Which figure is drawn"
          value={String(chosen)}
          options={figures.map((label, i) => ({ value: String(i), label }))}
          onchoose={(v) => setParam('drawn', v === '0' ? null : v)}
        />
      </div>
    {/if}
    <ChartBox
      kind={kind === 'lines' ? 'lines' : 'bars'}
      {title}
      labels={chart.labels}
      series={chart.series}
      future={chart.future}
      asOf={answer.as_of}
      stacked={stacks && chart.parts}
      {marks}
      height={280}
    />
    {#if chart.of > chart.series.length}
      <p class="mt-1 text-2xs text-quiet">
        The {chart.series.length} greatest of {chart.of} are drawn; keep the top ones to choose.
      </p>
    {:else if kind === 'stacked' && !(stacks && chart.parts)}
      <p class="mt-1 text-2xs text-quiet">
        They are not stacked: only parts of a whole are, of figures that add up, such as counts and sums by category.
      </p>
    {/if}
  </section>
{/if}
