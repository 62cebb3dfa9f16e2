<script lang="ts">
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query'
  import Plus from '@lucide/svelte/icons/plus'
  import { Popover } from 'bits-ui'
  import AddToBrief from '../components/AddToBrief.svelte'
  import Choice from '../components/Choice.svelte'
  import LineEditor from '../components/LineEditor.svelte'
  import LinesChart from '../components/LinesChart.svelte'
  import NoRecords from '../components/NoRecords.svelte'
  import TableTools from '../components/TableTools.svelte'
  import Trouble from '../components/Trouble.svelte'
  import { api, data, type Schemas } from '../lib/api'
  import { long, ranges } from '../lib/days'
  import { readLine, toLine, usualLines, writeLine, type LineText } from '../lib/lines'
  import { changeTone, marks, resetsOf, shownChange, shownDigits, units, wordsOf, type TotalRow } from '../lib/question'
  import { useAsOf, useDatasets } from '../lib/queries'
  import { scrolls } from '../lib/scrolls'
  import { param, params, setParam } from '../lib/state.svelte'

  const datasets = useDatasets()
  const asOf = useAsOf()
  const lines = $derived.by(() => {
    const stated = params('line').map(readLine).filter((l) => l !== null)
    return stated.length > 0 ? stated : usualLines(datasets.data ?? [])
  })
  const each = $derived((units as readonly string[]).includes(param('each') ?? '') ? (param('each') ?? 'month') : 'month')
  const running = $derived(resetsOf(each).includes(param('running') ?? '') ? (param('running') ?? '') : '')
  let editing = $state<number | null>(null)

  const question = $derived.by(() => {
    if (lines.length === 0 || asOf.reading === null) return null
    return {
      versions: datasets.data?.map((d) => d.version),
      body: { lines: lines.map(toLine), each: each as Schemas['LinesRequest']['each'], ...(running ? { running: running as NonNullable<Schemas['LinesRequest']['running']> } : {}), ...asOf.reading },
    }
  })
  const lineup = createQuery(() => {
    const q = question
    return { queryKey: ['lines', q], queryFn: async () => data(await api.POST('/lines', { body: q!.body })), enabled: q !== null, placeholderData: keepPreviousData }
  })

  const keep = (next: LineText[]) => {
    setParam('line', next.map(writeLine))
    editing = null
  }
  const blank = $derived<LineText>({ label: `line ${lines.length + 1}`, dataset: datasets.data?.[0]?.name ?? '', over: 'last full year', figure: 'count', where: [], against: '', planned: false })
  const value = (r: TotalRow | null) => (!r ? null : running ? (r.running?.[0] ?? null) : (r.values[0] ?? null))

  function csv(): (string | null)[][] {
    const up = lineup.data
    if (!up) return []
    return [
      ['as_of', 'position', 'line', 'unit', 'first_day', 'last_day', 'days', running ? 'value_running' : 'value', 'value_against', 'value_difference', 'value_change', 'marks'],
      ...up.positions.flatMap((p) =>
        p.rows.flatMap((r, i) => {
          if (!r) return []
          const c = r.against?.[0]?.[0]
          return [[up.as_of, String(p.number), up.lines[i]?.label ?? '', r.unit?.label ?? '', r.unit?.intervals.at(0)?.first ?? null, r.unit?.intervals.at(-1)?.last ?? null, String(r.unit?.days ?? ''), value(r), c?.against ?? null, c?.difference ?? null, c?.change ?? null, marks(r.unit)]]
        }),
      ),
    ]
  }
</script>

<svelte:head><title>Lines · Vast Span</title></svelte:head>

<div class="mb-2.5 flex flex-wrap items-center gap-3">
  <h1 class="text-xl font-semibold tracking-tight">Lines</h1>
  <span class="text-quiet">lined up by the position of the {each} in the year, each cut by its own span</span>
  <div class="ml-auto flex flex-wrap gap-2">
    {#if lines.length > 0}
      <AddToBrief
        kinds={[{ value: 'lines', label: 'lines' }]}
        make={(kind, title) => ({ kind, title, each, ...(running ? { running } : {}), lines: lines.map((l) => ({ label: l.label, dataset: l.dataset, over: l.over, figure: l.figure.replace(':', ' '), ...(l.where.length > 0 ? { where: l.where } : {}), ...(l.planned ? { planned: true } : {}) })) })}
      />
    {/if}
    <TableTools rows={csv} />
  </div>
</div>

{#if datasets.isError}
  <Trouble error={datasets.error} again={() => void datasets.refetch()} />
{:else if datasets.isSuccess && datasets.data.length === 0}
  <NoRecords />
{:else}
  <section class="card mb-3.5 grid gap-x-4 gap-y-2.5 p-4 sm:grid-cols-[5.5rem_1fr] sm:items-center" aria-label="The lines">
    <span class="text-quiet">Lines</span>
    <div class="flex flex-wrap items-center gap-1.5" data-lines>
      {#each [...lines, null] as l, i (i)}
        <Popover.Root open={editing === i} onOpenChange={(o) => (editing = o ? i : null)}>
          <Popover.Trigger class={['chip', l ? 'chip-on' : 'text-quiet hover:text-ink']}>{#if l}{l.label}{:else}<Plus class="size-3" aria-hidden="true" />Line{/if}</Popover.Trigger>
          <Popover.Portal>
            <Popover.Content class="card z-40 w-[min(26rem,94vw)] p-3 shadow-lg" sideOffset={4} align="start">
              {#if editing === i}
                <LineEditor
                  line={l ?? blank}
                  datasets={datasets.data ?? []}
                  reading={asOf.reading}
                  onsave={(kept) => keep(l ? lines.map((x, j) => (j === i ? kept : x)) : [...lines, kept])}
                  ondrop={l && lines.length > 1 ? () => keep(lines.filter((_, j) => j !== i)) : null}
                />
              {/if}
            </Popover.Content>
          </Popover.Portal>
        </Popover.Root>
      {/each}
    </div>
    <span class="text-quiet">Each</span>
    <div class="flex flex-wrap items-center gap-2">
      <Choice label="Each" value={each} options={units.map((u) => ({ value: u, label: u }))} onchoose={(v) => setParam('each', v)} />
      <Choice label="Running" value={running || 'none'} options={[{ value: 'none', label: 'no running figure' }, ...resetsOf(each).map((u) => ({ value: u, label: `running by ${u}` }))]} onchoose={(v) => setParam('running', v === 'none' ? null : v)} />
    </div>
  </section>

  {#if lineup.isError}
    <Trouble error={lineup.error} again={() => void lineup.refetch()} />
  {:else if !lineup.data}
    <div class="card h-72 animate-pulse" aria-busy="true" aria-label="Adding up"></div>
  {:else}
    {@const up = lineup.data}
    <section class="card mb-3.5 p-4"><LinesChart lineup={up} planned={lines.map((l) => l.planned)} title="Lines" height={230} /></section>
    <section {@attach scrolls} class={['card overflow-x-auto', lineup.isPlaceholderData && 'opacity-70']}>
      <table class="w-full" data-lineup>
        <thead>
          <tr class="h-9 border-b border-line text-quiet">
            <th class="px-4 text-left font-normal">{up.each}</th>
            {#each up.lines as l (l.label)}
              <th class="px-3 text-right font-normal whitespace-nowrap">{l.label}{#if l.total.figures[0]?.unit}<span class="ml-1 text-2xs">{l.total.figures[0].unit}</span>{/if}</th>
              {#if l.against}<th class="px-3 text-right font-normal whitespace-nowrap">from {l.against}</th>{/if}
            {/each}
          </tr>
        </thead>
        <tbody>
          {#each up.positions as p (p.number)}
            <tr class="h-9 border-t border-line/60 hover:bg-ahead">
              <th class="px-4 text-left font-semibold" scope="row">{p.label}</th>
              {#each p.rows as r, i (i)}
                {@const l = up.lines[i]}
                {@const f = l?.total.figures[0]}
                <td class={['px-3 text-right whitespace-nowrap', r?.unit?.ahead && 'bg-ahead text-quiet']} title={r?.unit ? `${r.unit.label}: ${ranges(r.unit.intervals)}` : undefined}>
                  {#if r && f}{shownDigits(value(r), f)}{#if marks(r.unit)}<span class="ml-1.5 text-2xs text-quiet">{marks(r.unit)}</span>{/if}{/if}
                </td>
                {#if l?.against}<td class={['px-3 text-right whitespace-nowrap', f && changeTone(r?.against?.[0]?.[0], f)]}>{r ? shownChange(r.against?.[0]?.[0]) : ''}</td>{/if}
              {/each}
            </tr>
          {/each}
          <tr class="h-9 border-t border-quiet font-semibold">
            <th class="px-4 text-left" scope="row">all</th>
            {#each up.lines as l (l.label)}
              {@const f = l.total.figures[0]}
              {@const c = l.total.spans[0]?.total.against?.[0]?.[0]}
              <td class="px-3 text-right">{f ? shownDigits(l.total.spans[0]?.total.values[0], f) : ''}</td>
              {#if l.against}<td class={['px-3 text-right whitespace-nowrap', f && changeTone(c, f)]}>{shownChange(c)}</td>{/if}
            {/each}
          </tr>
        </tbody>
      </table>
    </section>
    <p class="mt-2.5 text-quiet">As of <b class="font-semibold text-ink">{long(up.as_of)}</b>{up.at_close ? ', at close' : ''}, calendar {up.calendar}.</p>
    {#each up.lines as l (l.label)}
      {@const s = l.total.spans[0]}
      {#if s}
        <p class="mt-1 text-quiet">
          <b class="font-semibold text-ink">{l.label}</b>: {l.total.figures[0] ? wordsOf(l.total.figures[0]) : ''} of {l.total.dataset} by {l.total.date.replaceAll('_', ' ')}, {s.expression}, {ranges(s.intervals)}
          {#each s.cautions as c (c.text)}<span class="block"><b class="font-semibold text-worse">Caution</b> {c.text}</span>{/each}
          {#each s.counterparts ?? [] as c (c.against)}{#if c.uneven}<span class="block"><b class="font-semibold text-worse">Uneven</b> against {c.against}: {c.uneven}</span>{/if}{/each}
        </p>
      {/if}
    {/each}
  {/if}
{/if}
