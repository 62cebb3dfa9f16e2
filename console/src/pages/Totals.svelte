<script lang="ts">
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query'
  import { ToggleGroup } from 'bits-ui'
  import DatasetHead from '../components/DatasetHead.svelte'
  import Filters from '../components/Filters.svelte'
  import NoRecords from '../components/NoRecords.svelte'
  import SpanChips from '../components/SpanChips.svelte'
  import Trouble from '../components/Trouble.svelte'
  import { api, data, type Schemas } from '../lib/api'
  import { long, range, ranges, rounded } from '../lib/days'
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
      const own: Row[] = span.rows.map((r) => ({ span, group: r.group, values: r.values, all: false }))
      if (at >= 0) {
        const number = (r: Row) => (r.values[at] === null || r.values[at] === undefined ? -Infinity : Number(r.values[at]))
        own.sort((a, b) => (direction === 'up' ? number(a) - number(b) : number(b) - number(a)))
      }
      list.push(...own)
      if (t.by.length > 0) list.push({ span, group: t.by.map((_, i) => (i === 0 ? 'all' : '')), values: span.total, all: true })
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
    const edge = (r: Row, side: 'first' | 'last') => r.span.intervals.at(side === 'first' ? 0 : -1)?.[side] ?? null
    return [
      ['as_of', 'span', 'first_day', 'last_day', 'days', ...t.by, ...t.figures],
      ...rows.filter((r) => !r.all).map((r) => [t.as_of, r.span.expression, edge(r, 'first'), edge(r, 'last'), r.span.days === null ? null : String(r.span.days), ...r.group, ...r.values]),
    ]
  }

  function recordsLink(r: Row): string {
    const t = total.data
    if (!t || !dataset) return '#'
    const q = new URLSearchParams(carried())
    q.set('dataset', dataset.name)
    q.set('over', r.span.expression)
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
  </section>

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
            {#each t.by as c (c)}<th class="px-3 text-left font-normal">{c.replaceAll('_', ' ')}</th>{/each}
            {#each t.figures as f (f)}
              <th class="px-4 text-right font-normal" aria-sort={sorted(f)}>
                <button class="hover:text-ink" onclick={() => sortBy(f)}>{words(f)}<span aria-hidden="true">{sorted(f) === 'descending' ? ' ↓' : sorted(f) === 'ascending' ? ' ↑' : ''}</span></button>
              </th>
            {/each}
          </tr>
        </thead>
        <tbody>
          {#each rows as r, i (i)}
            {@const first = i === 0 || rows[i - 1]?.span !== r.span}
            <tr class={['h-9 hover:bg-ahead', first && i > 0 && 'border-t-2 border-line', !first && !r.all && 'border-t border-line/60', r.all && 'border-t border-quiet font-semibold']}>
              <th class="px-4 text-left font-semibold whitespace-nowrap" scope="row" title={r.span.expression}>
                {#if first}
                  {r.span.expression.startsWith('@') ? r.span.expression.slice(1) : r.span.expression}
                  <span class="block text-2xs font-normal text-quiet sm:hidden">{ranges(r.span.intervals)}</span>
                {/if}
              </th>
              <td class="hidden px-3 whitespace-nowrap text-quiet sm:table-cell">{first ? ranges(r.span.intervals) : ''}</td>
              <td class="px-3 text-right text-quiet">{first ? (r.span.days?.toLocaleString('en') ?? '∞') : ''}</td>
              {#each r.group as g, j (j)}<td class="px-3 whitespace-nowrap">{g ?? '(blank)'}</td>{/each}
              {#each r.values as v, j (j)}
                <td class="px-4 text-right" data-figure={t.figures[j]}>
                  <a class="hover:text-inside hover:underline" href={recordsLink(r)} title="The records behind this figure">{shownValue(t.figures[j] ?? '', v)}</a>
                </td>
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
    {#each [...new Set(t.spans.flatMap((s) => s.cautions.map((c) => c.text)))] as text (text)}
      <p class="mt-1 text-quiet"><b class="font-semibold text-worse">Caution</b> {text}</p>
    {/each}
  {/if}
{/if}
