<script lang="ts">
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query'
  import AddToBrief from '../components/AddToBrief.svelte'
  import Against from '../components/Against.svelte'
  import Breakdown from '../components/Breakdown.svelte'
  import Choice from '../components/Choice.svelte'
  import CrossTable from '../components/CrossTable.svelte'
  import DatasetHead from '../components/DatasetHead.svelte'
  import Figures from '../components/Figures.svelte'
  import Filters from '../components/Filters.svelte'
  import Grouping from '../components/Grouping.svelte'
  import NoRecords from '../components/NoRecords.svelte'
  import SpanChips from '../components/SpanChips.svelte'
  import TotalTable from '../components/TotalTable.svelte'
  import Trouble from '../components/Trouble.svelte'
  import { api, data, type Schemas } from '../lib/api'
  import { toItem } from '../lib/briefs'
  import { crossTabs } from '../lib/crosstab'
  import { long, range, ranges, short } from '../lib/days'
  import { words } from '../lib/filters'
  import { asked, figureColumns, groupLabel, marks, toRequest, type TotalRow } from '../lib/question'
  import { currentDataset, useAsOf, useDatasets } from '../lib/queries'
  import { scrolls } from '../lib/scrolls'
  import { carried, joinList, param, setParam } from '../lib/state.svelte'

  const datasets = useDatasets()
  const asOf = useAsOf()
  const dataset = $derived(currentDataset(datasets.data))
  const q = $derived(dataset ? asked(dataset) : null)
  const dates = $derived(dataset?.columns.filter((c) => c.type === 'date' || c.type === 'timestamp') ?? [])

  const question = $derived.by(() => {
    if (!dataset || !q || asOf.reading === null) return null
    return { dataset: dataset.name, version: dataset.version, columns: dataset.columns, body: { ...toRequest(q), ...asOf.reading } }
  })
  const total = createQuery(() => {
    const now = question
    return {
      queryKey: ['total', now],
      queryFn: async () => data(await api.POST('/datasets/{name}/total', { params: { path: { name: now?.dataset ?? '' } }, body: now!.body })),
      enabled: now !== null,
      placeholderData: keepPreviousData,
    }
  })
  const columns = $derived(total.data && q ? figureColumns(total.data, q) : [])
  const crossed = $derived(q?.across && total.data?.by.includes(q.across) && total.data.spans[0]?.edges ? total.data.spans.flatMap((s) => crossTabs(total.data!, s, q.across)) : [])

  function csv(): (string | null)[][] {
    const t = total.data
    if (!t) return []
    if (crossed.length > 0) {
      const across = [...new Set(crossed.flatMap((x) => x.across.filter((c) => c !== 'all')))].concat('all')
      return [
        ['as_of', 'span', 'first_day', 'last_day', 'days', 'figure', crossed[0]?.label ?? '', ...across, 'marks'],
        ...crossed.flatMap((x) =>
          x.down.map((d, i) => [
            t.as_of,
            x.span.expression,
            x.span.intervals.at(0)?.first ?? null,
            x.span.intervals.at(-1)?.last ?? null,
            x.span.days === null ? null : String(x.span.days),
            x.figure.name,
            d,
            ...across.map((c) => x.row(d, c)?.values[x.at] ?? null),
            x.marks[i] ?? '',
          ]),
        ),
      ]
    }
    return [
      ['as_of', 'span', 'first_day', 'last_day', 'days', ...t.by, 'unit', ...columns.map((c) => c.name), 'marks'],
      ...t.spans.flatMap((s) =>
        s.rows.map((r) => {
          const part = r.unit ?? s
          return [
            t.as_of,
            s.expression,
            part.intervals.at(0)?.first ?? null,
            part.intervals.at(-1)?.last ?? null,
            part.days === null ? null : String(part.days),
            ...t.by.map((_, i) => (r.group[i] === null && !r.rest ? null : groupLabel(t, r, i))),
            r.unit?.label ?? null,
            ...columns.map((c) => c.value(r)),
            marks(r.unit),
          ]
        }),
      ),
    ]
  }

  const uneven = $derived((total.data?.spans ?? []).flatMap((s) => (s.counterparts ?? []).filter((c) => c.uneven).map((c) => ({ span: s.expression, against: c.against, why: c.uneven ?? '', helps: c.even_helps ?? false }))))

  // The records behind a figure: the same days, filters and date.
  function recordsLink(span: Schemas['SpanTotal'], r: TotalRow): string {
    const t = total.data
    if (!t || !dataset || !q) return '#'
    const link = new URLSearchParams(carried())
    link.set('dataset', dataset.name)
    const days = r.unit?.intervals.map((v) => `${v.first}/${v.last}`).join(' or ')
    link.set('over', days ? (r.unit!.intervals.length > 1 ? `(${days})` : days) : span.expression)
    const fixed = t.by.filter((_, i) => !r.all?.[i] && r.group.length > 0)
    const where = q.where.filter((w) => !fixed.some((c) => w.startsWith(c + '=')))
    t.by.forEach((c, i) => {
      if (fixed.includes(c)) where.push(`${c}=${r.group[i] ?? ''}`)
    })
    if (where.length > 0) link.set('where', joinList(where))
    if (q.date) link.set('date', q.date)
    const money = q.figures.find((f) => f.startsWith('sum:'))?.slice(4)
    if (money) link.set('running', money)
    return '/records?' + link.toString()
  }
</script>

<DatasetHead title="Totals" {dataset} datasets={datasets.data ?? []} rows={csv}>
  {#snippet tools()}
    {#if dataset && q}
      {@const kinds = [{ value: 'table' as const, label: 'a table' }, ...(q.each ? [{ value: 'bars' as const, label: 'bars' }] : [{ value: 'figure' as const, label: 'a figure with its course' }])]}
      <AddToBrief {kinds} make={(kind, title) => toItem(kind, title, dataset.name, q)} />
    {/if}
  {/snippet}
</DatasetHead>

{#if datasets.isError}
  <Trouble error={datasets.error} again={() => void datasets.refetch()} />
{:else if datasets.isSuccess && !dataset}
  <NoRecords />
{:else if dataset && q}
  <section class="card mb-3.5 grid gap-x-4 gap-y-2.5 p-4 sm:grid-cols-[5.5rem_1fr] sm:items-center" aria-label="The question">
    <span class="text-quiet">Over</span>
    <div class="flex flex-wrap items-center gap-1.5">
      <SpanChips over={q.over} reading={asOf.reading} onchange={(o) => setParam('over', o)} />
      {#if dates.length > 1}
        <Choice label="By which date" value={q.date || (dates.find((c) => c.role === 'day')?.name ?? '')} options={dates.map((c) => ({ value: c.name, label: `by ${c.name.replaceAll('_', ' ')}` }))} onchoose={(v) => setParam('date', dates.find((c) => c.name === v)?.role === 'day' ? null : v)} />
      {/if}
    </div>
    <span class="text-quiet">Figures</span>
    <Figures {dataset} figures={q.figures} onchange={(f) => setParam('figure', f)} />
    <span class="text-quiet">By</span>
    <Grouping {dataset} asked={q} />
    <span class="text-quiet">Where</span>
    <Filters {dataset} />
    <span class="text-quiet">Against</span>
    <Against {dataset} datasets={datasets.data ?? []} asked={q} />
    <span class="text-quiet">Each</span>
    <Breakdown asked={q} />
  </section>

  {#if uneven.length > 0 && !q.even && param('uneven') !== 'kept'}
    <section class="card mb-3.5 flex flex-wrap items-center gap-3 px-4 py-3" role="status" data-uneven>
      <b class="font-semibold text-worse">Uneven</b>
      <span class="min-w-0 flex-1">{#each uneven as u, i (i)}{i > 0 ? '; ' : ''}{u.span} against {u.against}: {u.why}{/each}</span>
      {#if uneven.some((u) => u.helps)}<button class="button" onclick={() => setParam('even', 'yes')}>Cut both at {asOf.day ? short(asOf.day) : 'the as-of day'}</button>{/if}
      <button class="button" onclick={() => setParam('uneven', 'kept')}>Keep as it is</button>
    </section>
  {:else if q.even}
    <p class="mb-2.5 text-quiet">
      Spans are cut at the as-of day before they are moved. <button class="text-inside underline" onclick={() => setParam('even', null)}>Undo</button>
      {#each uneven as u, i (i)}<span class="block"><b class="font-semibold text-worse">Uneven</b> {u.span} against {u.against}: {u.why}</span>{/each}
    </p>
  {/if}

  {#if total.isError}
    <Trouble error={total.error} again={() => void total.refetch()} />
  {:else if !total.data}
    <div class="card h-56 animate-pulse" aria-busy="true" aria-label="Adding up"></div>
  {:else}
    {@const t = total.data}
    {#if crossed.length > 0}
      {#each crossed as tab, i (i)}
        <section {@attach scrolls} class={['card mb-3.5 overflow-x-auto', total.isPlaceholderData && 'opacity-70']}><CrossTable {tab} category={q.across} link={recordsLink} /></section>
      {/each}
    {:else}
      <section {@attach scrolls} class={['card overflow-x-auto', total.isPlaceholderData && 'opacity-70']}><TotalTable total={t} {columns} link={recordsLink} /></section>
    {/if}
    <p class="mt-2.5 text-quiet">
      As of <b class="font-semibold text-ink">{long(t.as_of)}</b>{t.at_close ? ', at close' : ''}, calendar {t.calendar}, by {t.date.replaceAll('_', ' ')}.
      {#if t.oldest_day && t.newest_day}{t.records.toLocaleString('en')} records, {range({ first: t.oldest_day, last: t.newest_day })}{t.where.length > 0 ? ', pass the filter' : ''}.{/if}
      {#each t.where as f, i (i)}{i > 0 ? ', ' : 'Where '}{f.column.replaceAll('_', ' ')} {words(f.test ?? 'is')} {f.values.map((v) => v ?? '(blank)').join(f.test === 'between' ? ' and ' : ' or ')}{i === t.where.length - 1 ? '. ' : ''}{/each}
      {#if t.undated > 0}<b class="font-semibold text-worse">{t.undated.toLocaleString('en')} with no {t.date.replaceAll('_', ' ')}</b> stand outside every span.{/if}
    </p>
    {#each t.spans.flatMap((s) => (s.counterparts ?? []).map((c) => ({ s, c }))) as x, i (i)}
      <p class="mt-1 text-quiet">{x.s.expression} against {x.c.against}: {ranges(x.c.intervals)}{x.c.days === null ? '' : `, ${x.c.days.toLocaleString('en')} days`}</p>
    {/each}
    {#each [...new Set(t.spans.flatMap((s) => s.cautions.map((c) => c.text)))] as text (text)}
      <p class="mt-1 text-quiet"><b class="font-semibold text-worse">Caution</b> {text}</p>
    {/each}
  {/if}
{/if}
