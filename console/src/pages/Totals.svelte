<script lang="ts">
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query'
  import { ToggleGroup } from 'bits-ui'
  import Choice from '../components/Choice.svelte'
  import DatasetHead from '../components/DatasetHead.svelte'
  import Filters from '../components/Filters.svelte'
  import NoRecords from '../components/NoRecords.svelte'
  import SpanChips from '../components/SpanChips.svelte'
  import Trouble from '../components/Trouble.svelte'
  import { api, data, type Schemas } from '../lib/api'
  import { grouped, long, range, ranges, rounded, short } from '../lib/days'
  import { toFilters } from '../lib/filters'
  import { currentDataset, useAsOf, useDatasets } from '../lib/queries'
  import { carried, joinList, param, params, setParam } from '../lib/state.svelte'

  const datasets = useDatasets()
  const asOf = useAsOf()
  const dataset = $derived(currentDataset(datasets.data))

  const amounts = $derived(dataset?.columns.filter((c) => c.role === 'amount') ?? [])
  const categories = $derived(dataset?.columns.filter((c) => c.role === 'category').map((c) => c.name) ?? [])

  const over = $derived(params('over').length > 0 ? params('over') : ['last full month'])
  const figures = $derived.by(() => {
    const stated = params('figure')
    if (stated.length > 0) return stated
    const money = amounts[amounts.length - 1]
    return money ? ['count', 'sum:' + money.name] : ['count']
  })
  const by = $derived(params('by').filter((c) => categories.includes(c)))

  const against = $derived(params('against'))
  const units = ['day', 'week', 'month', 'quarter', 'half', 'year']
  const each = $derived(units.includes(param('each') ?? '') ? (param('each') ?? '') : '')
  const resets = $derived(each === '' ? [] : [...units.slice(units.indexOf(each) + 1), 'span'])
  const running = $derived(resets.includes(param('running') ?? '') ? (param('running') ?? '') : '')
  const rolling = $derived(each === '' ? 0 : Number(param('rolling') ?? 0))
  const usual = ['1 year earlier', '52 weeks earlier', 'prior']

  const figureChoices = $derived([
    { value: 'count', label: 'count' },
    ...amounts.flatMap((c) => (['sum', 'mean', 'min', 'max'] as const).map((k) => ({ value: `${k}:${c.name}`, label: `${k} of ${c.name}` }))),
  ])

  const question = $derived.by(() => {
    if (!dataset || asOf.reading === null) return null
    return {
      dataset: dataset.name,
      version: dataset.version,
      body: {
        over,
        by,
        where: toFilters(params('where')),
        figures: figures.map((f) => {
          const [kind = 'count', column] = f.split(':')
          return { kind: kind as Schemas['Figure']['kind'], column }
        }),
        against,
        even: param('even') === 'yes',
        planned: param('planned') === 'yes',
        ...(each === '' ? {} : { each: each as NonNullable<Schemas['TotalRequest']['each']>, ...(running === '' ? {} : { running: running as NonNullable<Schemas['TotalRequest']['running']> }), ...(rolling > 1 ? { rolling } : {}) }),
        ...asOf.reading,
      },
    }
  })
  const total = createQuery(() => {
    const q = question
    return {
      queryKey: ['total', q],
      queryFn: async () => data(await api.POST('/datasets/{name}/total', { params: { path: { name: q?.dataset ?? '' } }, body: q!.body })),
      enabled: q !== null,
      placeholderData: keepPreviousData,
    }
  })

  interface Row {
    span: Schemas['SpanTotal']
    row: Schemas['TotalRow']
    group: (string | null)[]
    values: (string | null)[]
    all: boolean
  }
  // Rows are sorted within each span, so that what belongs together stays together.
  const sort = $derived(param('sort'))
  const rows = $derived.by(() => {
    const list: Row[] = []
    const t = total.data
    if (!t) return list
    const [column, direction] = (sort ?? '').split(':')
    const at = t.figures.indexOf(column ?? '')
    for (const span of t.spans) {
      const own: Row[] = span.rows.map((r) => ({ span, row: r, group: r.group, values: r.values, all: false }))
      if (at >= 0) {
        const number = (r: Row) => (r.values[at] === null || r.values[at] === undefined ? -Infinity : Number(r.values[at]))
        own.sort((a, b) => (direction === 'up' ? number(a) - number(b) : number(b) - number(a)))
      }
      list.push(...own)
      if (t.by.length > 0 || span.rows.some((r) => r.unit)) list.push({ span, row: span.total, group: t.by.map((_, i) => (i === 0 ? 'all' : '')), values: span.total.values, all: true })
    }
    return list
  })

  function sortBy(figure: string) {
    const [column, direction] = (sort ?? '').split(':')
    if (column !== figure) setParam('sort', figure + ':down')
    else setParam('sort', direction === 'down' ? figure + ':up' : null)
  }
  const sorted = (figure: string) => (sort === figure + ':down' ? 'descending' : sort === figure + ':up' ? 'ascending' : undefined)
  const words = (figure: string) => figure.replace(/_/, ' of ').replaceAll('_', ' ')

  // Means have more decimals than one reads; the CSV has them all.
  function shownValue(figure: string, v: string | null) {
    const column = amounts.find((c) => figure.endsWith('_' + c.name))
    return rounded(v, figure.startsWith('mean_') ? (column?.decimals ?? 0) + 2 : 20)
  }

  function csv(): (string | null)[][] {
    const t = total.data
    if (!t) return []
    const part = (r: Row) => r.row.unit ?? r.span
    const head = t.figures.flatMap((f) => [
      f,
      ...against.flatMap((_, i) => [`${f}_against`, `${f}_difference`, `${f}_change`].map((n) => (i > 0 ? `${n}_${i + 1}` : n))),
      ...(running ? [f + '_running'] : []),
      ...(rolling > 1 ? [f + '_rolling'] : []),
    ])
    const cells = (r: Row) =>
      r.values.flatMap((v, i) => [v, ...(r.row.against ?? []).flatMap((c) => [c[i]?.against ?? null, c[i]?.difference ?? null, c[i]?.change ?? null]), ...(running ? [r.row.running?.[i] ?? null] : []), ...(rolling > 1 ? [r.row.rolling?.[i] ?? null] : [])])
    return [
      ['as_of', 'span', 'first_day', 'last_day', 'days', ...t.by, 'unit', ...head, 'marks'],
      ...rows
        .filter((r) => !r.all)
        .map((r) => [
          t.as_of,
          r.span.expression,
          part(r).intervals.at(0)?.first ?? null,
          part(r).intervals.at(-1)?.last ?? null,
          part(r).days === null ? null : String(part(r).days),
          ...r.group,
          r.row.unit?.label ?? null,
          ...cells(r),
          marks(r.row.unit),
        ]),
    ]
  }

  const withUnits = $derived(total.data?.spans.some((s) => s.rows.some((r) => r.unit)) ?? false)
  const marks = (u: Schemas['RowUnit'] | undefined) =>
    [u?.partial && 'partial', u?.in_progress && 'in progress', u?.ahead && 'ahead', u?.incomplete && 'incomplete'].filter(Boolean).join(', ')
  const uneven = $derived((total.data?.spans ?? []).flatMap((s) => (s.counterparts ?? []).filter((c) => c.uneven).map((c) => ({ span: s.expression, against: c.against, why: c.uneven ?? '' }))))

  // Changes as percentages with an arrow; n/a where one is undefined.
  function change(c: Schemas['Comparison'] | undefined): string {
    if (!c || c.change === null) return 'n/a'
    const percent = Math.abs(Number(c.change) * 100).toFixed(1)
    return c.direction === 'up' ? `▲ ${percent}%` : c.direction === 'down' ? `▼ ${percent}%` : '= level'
  }

  function recordsLink(r: Row): string {
    const t = total.data
    if (!t || !dataset) return '#'
    const q = new URLSearchParams(carried())
    q.set('dataset', dataset.name)
    const v = r.row.unit?.intervals[0]
    q.set('over', v?.first && v.last && r.row.unit?.intervals.length === 1 ? `${v.first}/${v.last}` : r.span.expression)
    const fixed = r.all ? [] : t.by
    const where = params('where').filter((w) => !fixed.some((c) => w.startsWith(c + '=')))
    fixed.forEach((c, i) => where.push(`${c}=${r.group[i] ?? ''}`))
    if (where.length > 0) q.set('where', joinList(where))
    return '/records?' + q.toString()
  }
</script>

<DatasetHead title="Totals" {dataset} datasets={datasets.data ?? []} rows={csv} />

{#if datasets.isError}
  <Trouble error={datasets.error} again={() => void datasets.refetch()} />
{:else if datasets.isSuccess && !dataset}
  <NoRecords />
{:else if dataset}
  <section class="card mb-3.5 grid gap-x-4 gap-y-2.5 p-4 sm:grid-cols-[5.5rem_1fr] sm:items-center" aria-label="The question">
    <span class="text-quiet">Over</span>
    <SpanChips {over} reading={asOf.reading} onchange={(o) => setParam('over', o)} />
    <span class="text-quiet">Figures</span>
    <ToggleGroup.Root type="multiple" value={figures} onValueChange={(v) => setParam('figure', figureChoices.map((c) => c.value).filter((c) => v.includes(c)))} class="flex flex-wrap gap-1.5" aria-label="Figures">
      {#each figureChoices as f (f.value)}
        <ToggleGroup.Item value={f.value} class={['chip', figures.includes(f.value) ? 'chip-on' : 'text-quiet']}>{f.label}</ToggleGroup.Item>
      {/each}
    </ToggleGroup.Root>
    <span class="text-quiet">By</span>
    <ToggleGroup.Root type="multiple" value={by} onValueChange={(v) => setParam('by', v.slice(-2))} class="flex flex-wrap gap-1.5" aria-label="Categories, at most two">
      {#each categories as c (c)}
        <ToggleGroup.Item value={c} class={['chip', by.includes(c) ? 'chip-on' : 'text-quiet']}>{c.replaceAll('_', ' ')}</ToggleGroup.Item>
      {:else}<span class="text-quiet">no categories</span>{/each}
    </ToggleGroup.Root>
    <span class="text-quiet">Where</span>
    <Filters {dataset} />
    <span class="text-quiet">Against</span>
    <ToggleGroup.Root type="multiple" value={against} onValueChange={(v) => setParam('against', v)} class="flex flex-wrap gap-1.5" aria-label="Compare with">
      {#each [...usual, ...against.filter((a) => !usual.includes(a))] as a (a)}
        <ToggleGroup.Item value={a} class={['chip', against.includes(a) ? 'chip-on' : 'text-quiet']}>{a}</ToggleGroup.Item>
      {/each}
    </ToggleGroup.Root>
    <span class="text-quiet">Each</span>
    <div class="flex flex-wrap items-center gap-2">
      <Choice label="Each" value={each || 'none'} options={[{ value: 'none', label: 'not broken down' }, ...units.map((u) => ({ value: u, label: u }))]} onchoose={(v) => setParam('each', v === 'none' ? null : v)} />
      {#if each}
        <Choice label="Running" value={running || 'none'} options={[{ value: 'none', label: 'no running figure' }, ...resets.map((u) => ({ value: u, label: `running by ${u}` }))]} onchoose={(v) => setParam('running', v === 'none' ? null : v)} />
        <Choice
          label="Rolling"
          value={rolling > 1 ? String(rolling) : 'none'}
          options={[{ value: 'none', label: 'no rolling figure' }, ...[2, 3, 4, 6, 7, 12, 13].map((n) => ({ value: String(n), label: `rolling ${n} ${each === 'half' ? 'halves' : each + 's'}` }))]}
          onchoose={(v) => setParam('rolling', v === 'none' ? null : v)}
        />
      {/if}
    </div>
  </section>

  {#if uneven.length > 0 && param('even') !== 'yes' && param('uneven') !== 'kept'}
    <section class="card mb-3.5 flex flex-wrap items-center gap-3 px-4 py-3" role="status" data-uneven>
      <b class="font-semibold text-worse">Uneven</b>
      <span class="min-w-0 flex-1">{#each uneven as u, i (i)}{i > 0 ? '; ' : ''}{u.span} against {u.against}: {u.why}{/each}</span>
      {#if uneven.some((u) => u.why.includes('cut off'))}<button class="button" onclick={() => setParam('even', 'yes')}>Cut both at {asOf.day ? short(asOf.day) : 'the as-of day'}</button>{/if}
      <button class="button" onclick={() => setParam('uneven', 'kept')}>Keep as it is</button>
    </section>
  {:else if param('even') === 'yes'}
    <p class="mb-2.5 text-quiet">Spans are cut at the as-of day before they are moved. <button class="text-inside underline" onclick={() => setParam('even', null)}>Undo</button></p>
  {/if}

  {#if total.isError}
    <Trouble error={total.error} again={() => void total.refetch()} />
  {:else if !total.data}
    <div class="card h-56 animate-pulse" aria-busy="true" aria-label="Adding up"></div>
  {:else}
    {@const t = total.data}
    <section class={['card overflow-x-auto', total.isPlaceholderData && 'opacity-70']}>
      <table class="w-full" data-total>
        <thead>
          <tr class="h-9 border-b border-line text-quiet">
            <th class="px-4 text-left font-normal">span</th>
            <th class="hidden px-3 text-left font-normal sm:table-cell">days</th>
            <th class="px-3 text-right font-normal"><abbr title="number of days" class="no-underline">n</abbr></th>
            {#if withUnits}<th class="px-3 text-left font-normal">unit</th>{/if}
            {#each t.by as c (c)}<th class="px-3 text-left font-normal">{c.replaceAll('_', ' ')}</th>{/each}
            {#each t.figures as f (f)}
              <th class="px-4 text-right font-normal whitespace-nowrap" aria-sort={sorted(f)}>
                <button class="hover:text-ink" onclick={() => sortBy(f)}>{words(f)}<span aria-hidden="true">{sorted(f) === 'descending' ? ' ↓' : sorted(f) === 'ascending' ? ' ↑' : ''}</span></button>
              </th>
              {#each against as a (a)}
                <th class="px-3 text-right font-normal whitespace-nowrap">{a}</th>
                <th class="px-3 text-right font-normal">change</th>
              {/each}
              {#if withUnits && running}<th class="px-3 text-right font-normal whitespace-nowrap">running by {running}</th>{/if}
              {#if withUnits && rolling > 1}<th class="px-3 text-right font-normal whitespace-nowrap">rolling {rolling}</th>{/if}
            {/each}
          </tr>
        </thead>
        <tbody>
          {#each rows as r, i (i)}
            {@const first = i === 0 || rows[i - 1]?.span !== r.span}
            <tr class={['h-9 hover:bg-ahead', first && i > 0 && 'border-t-2 border-line', !first && !r.all && 'border-t border-line/60', r.all && 'border-t border-quiet font-semibold', r.row.unit?.ahead && 'bg-ahead text-quiet']}>
              <th class="px-4 text-left font-semibold whitespace-nowrap" scope="row" title={r.span.expression}>
                {#if first}
                  {r.span.expression.startsWith('@') ? r.span.expression.slice(1) : r.span.expression}
                  <span class="block text-2xs font-normal text-quiet sm:hidden">{ranges(r.span.intervals)}</span>
                {/if}
              </th>
              <td class="hidden px-3 whitespace-nowrap text-quiet sm:table-cell">{first ? ranges(r.span.intervals) : ''}</td>
              <td class="px-3 text-right text-quiet">{first ? (r.span.days?.toLocaleString('en') ?? '∞') : ''}</td>
              {#if withUnits}
                <td class="px-3 whitespace-nowrap">
                  {#if r.all}{t.by.length === 0 ? 'all' : ''}{:else}{r.row.unit?.label}<span class="ml-1.5 text-2xs text-quiet">{marks(r.row.unit)}</span>{/if}
                </td>
              {/if}
              {#each r.group as g, j (j)}<td class="px-3 whitespace-nowrap">{g ?? '(blank)'}</td>{/each}
              {#each r.values as v, j (j)}
                <td class="px-4 text-right" data-figure={t.figures[j]}>
                  <a class="hover:text-inside hover:underline" href={recordsLink(r)} title="The records behind this figure">{shownValue(t.figures[j] ?? '', v)}</a>
                </td>
                {#each against as a, k (a)}
                  {@const c = r.row.against?.[k]?.[j]}
                  <td class="px-3 text-right text-quiet">{shownValue(t.figures[j] ?? '', c?.against ?? null)}</td>
                  <td class="px-3 text-right whitespace-nowrap" title={c?.difference ? `difference ${grouped(c.difference)}` : undefined} data-change={t.figures[j]}>{change(c)}</td>
                {/each}
                {#if withUnits && running}<td class="px-3 text-right">{r.all ? '' : shownValue(t.figures[j] ?? '', r.row.running?.[j] ?? null)}</td>{/if}
                {#if withUnits && rolling > 1}<td class="px-3 text-right">{r.all ? '' : shownValue(t.figures[j] ?? '', r.row.rolling?.[j] ?? null)}</td>{/if}
              {/each}
            </tr>
          {:else}
            <tr><td class="p-6 text-center text-quiet" colspan={3 + t.by.length + t.figures.length}>No records lie in these days.</td></tr>
          {/each}
        </tbody>
      </table>
    </section>
    <p class="mt-2.5 text-quiet">
      As of <b class="font-semibold text-ink">{long(t.as_of)}</b>{t.at_close ? ', at close' : ''}, calendar {t.calendar}.
      {#if t.oldest_day && t.newest_day}{t.records.toLocaleString('en')} records, {range({ first: t.oldest_day, last: t.newest_day })}{t.where.length > 0 ? ', pass the filter' : ''}.{/if}
      {#if t.undated > 0}<b class="font-semibold text-worse">{t.undated} without a day</b> stand outside every span.{/if}
    </p>
    {#each t.spans.flatMap((s) => (s.counterparts ?? []).map((c) => ({ s, c }))) as x, i (i)}
      <p class="mt-1 text-quiet">{x.s.expression} against {x.c.against}: {ranges(x.c.intervals)}{x.c.days === null ? '' : `, ${x.c.days.toLocaleString('en')} days`}</p>
    {/each}
    {#each [...new Set(t.spans.flatMap((s) => s.cautions.map((c) => c.text)))] as text (text)}
      <p class="mt-1 text-quiet"><b class="font-semibold text-worse">Caution</b> {text}</p>
    {/each}
  {/if}
{/if}
