<script lang="ts">
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query'
  import { api, asCSV, data, text, type As, type Schemas } from '../../api/client'
  import { currentDataset, useAsOf, useDatasets, useFigureKinds } from '../../api/queries'
  import { knownState, mendParam, param, setParam } from '../../lib/address.svelte'
  import { long } from '../../lib/days'
  import { explained } from '../../lib/links'
  import { sign } from '../../lib/numbers'
  import { compact, numbersOf, parseQuery, wordsOf } from '../../lib/query'
  import DatasetHead from '../../ui/DatasetHead.svelte'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'
  import NoRecords from '../../ui/NoRecords.svelte'
  import Notes from '../../ui/Notes.svelte'
  import { scrolls } from '../../ui/scrolls'
  import Select from '../../ui/Select.svelte'
  import AddToBrief from '../briefs/AddToBrief.svelte'
  import type { Item } from '../briefs/briefs'
  import Expression from '../spans/Expression.svelte'
  import Filters from '../totals/Filters.svelte'
  import Bridge from './Bridge.svelte'
  import Parts from './Parts.svelte'
  import { decimalsOf, nameOf, ofColumn, partOf, points, recordsOf, shown, signed } from './drivers'

  // What the change of one figure over one span is made of.
  const datasets = useDatasets()
  const asOf = useAsOf()
  const kinds = useFigureKinds()
  const dataset = $derived(currentDataset(datasets.data))
  const q = $derived(dataset ? parseQuery(dataset) : null)
  const over = $derived(q?.over[0] ?? '')
  const against = $derived(q?.against[0] ?? '1 year earlier')
  const figures = $derived([
    ...(dataset ? numbersOf(dataset).flatMap((c) => [`sum ${c.name}`, `mean ${c.name}`]) : []),
    'count',
  ])
  // The first figure that has drivers; a page that was asked for another one is refused with the reason.
  const figure = $derived.by(() => {
    const asked = q?.figures ?? []
    const of = (f: string) => explained.includes(kinds.parse(f).kind)
    return param('figures') === null ? (figures[0] ?? 'count') : (asked.find(of) ?? asked[0] ?? 'count')
  })
  let typedOver = $derived(over)
  let typedAgainst = $derived(against)

  const asked = $derived.by(() => {
    if (!dataset || !q || asOf.moment === null) return null
    const optional = compact({ where: q.where, date: q.date, like_for_like: q.like_for_like })
    const body = {
      dataset: dataset.name,
      over: [over],
      figures: [figure],
      against: [against],
      ...optional,
      ...asOf.moment,
      ...knownState(),
    }
    return { version: dataset.version, body: body as Schemas['Query'] }
  })
  const answer = createQuery(() => {
    const now = asked
    return {
      queryKey: ['drivers', now],
      queryFn: async () => data(await api.POST('/drivers', { body: now!.body })),
      enabled: now !== null,
      placeholderData: keepPreviousData,
    }
  })
  // The question as an item of a brief: the as-of day and what is known belong to the brief.
  function toItem(kind: Item['kind'], title: string): Item {
    const own = ['as_of', 'at_close', 'calendar', 'known']
    const question = Object.fromEntries(Object.entries(asked!.body).filter(([name]) => !own.includes(name)))
    return { kind, title, ...question } as Item
  }
  const take = (as: As) => api.POST('/drivers', { body: asked!.body, ...as })
  const csv = async () => text(await api.POST('/drivers', { body: asked!.body, ...asCSV }))
  const columns = $derived(answer.data?.columns ?? [])
  const column = $derived(columns.find((c) => c.name === param('column'))?.name ?? columns[0]?.name ?? '')
  const widest = $derived(Math.max(...columns.map((c) => Number(c.unevenness)), 0))
  const moves = $derived([...new Set([against, '1 year earlier', '1 month earlier', 'prior'])])
  const tone = (v: string) => (sign(v) < 0 ? 'text-worse' : sign(v) > 0 ? 'text-inside' : '')
</script>

<DatasetHead
  title="Drivers"
  {dataset}
  datasets={datasets.data ?? []}
  csv={asked ? csv : undefined}
  take={asked ? take : undefined}
>
  {#snippet tools()}
    {#if asked}<AddToBrief kinds={[{ value: 'drivers', label: 'what the change is made of' }]} make={toItem} />{/if}
  {/snippet}
</DatasetHead>

{#if datasets.isError}
  <ErrorPanel error={datasets.error} retry={() => void datasets.refetch()} />
{:else if datasets.isSuccess && !dataset}
  <NoRecords />
{:else if dataset && q}
  <section
    class="card mb-3.5 grid grid-cols-1 gap-x-4 gap-y-2.5 p-4 sm:grid-cols-[5.5rem_1fr] sm:items-center"
    aria-label="The question"
  >
    <span class="text-quiet">Figure</span>
    <div class="flex flex-wrap items-center gap-1.5">
      <Select
        label="Figure"
        value={figure}
        options={[...new Set([figure, ...figures])].map((f) => ({ value: f, label: wordsOf(f) }))}
        onchoose={(v) => setParam('figures', [v])}
      />
      <span class="text-quiet">against</span>
      <Select
        label="Compared with"
        value={against}
        options={moves.map((m) => ({ value: m, label: m }))}
        onchoose={(v) => setParam('against', [v])}
      />
      <form
        class="flex items-center gap-1.5"
        onsubmit={(e) => {
          e.preventDefault()
          if (typedAgainst.trim() !== '') setParam('against', [typedAgainst.trim()])
        }}
      >
        <input
          class="field w-44 font-mono text-[0.75rem]"
          aria-label="Another comparison"
          bind:value={typedAgainst}
          autocomplete="off"
        />
        <button class="button" disabled={typedAgainst.trim() === '' || typedAgainst === against}>Set</button>
      </form>
    </div>
    <span class="text-quiet">Over</span>
    <form
      class="flex flex-wrap items-start gap-1.5"
      onsubmit={(e) => {
        e.preventDefault()
        if (typedOver.trim() !== '') setParam('over', [typedOver.trim()])
      }}
    >
      <div class="w-96 max-w-full">
        <Expression id="drivers-over" label="Span" bind:value={typedOver} context={asOf.moment} />
      </div>
      <button class="button mt-5" disabled={typedOver.trim() === '' || typedOver === over}>Set</button>
    </form>
    <span class="text-quiet">Where</span>
    <Filters {dataset} context={asOf.moment} />
  </section>

  {#if answer.isError}
    <ErrorPanel error={answer.error} retry={() => void answer.refetch()} mend={mendParam} />
  {:else if !answer.data}
    <div class="card h-56 animate-pulse" aria-busy="true" aria-label="Taking the change apart"></div>
  {:else}
    {@const d = answer.data}
    {@const total = partOf(d, 'total')}
    {@const decimals = decimalsOf(d)}
    {@const list = ofColumn(d, column)}
    {@const quotient = list.some((e) => e.mix_effect)}
    <div class={answer.isPlaceholderData ? 'opacity-70' : ''} aria-busy={answer.isPlaceholderData}>
      <p class="mb-3 text-lg leading-snug font-semibold tracking-tight" data-sentence>{d.sentence}</p>
      <div class="grid grid-cols-1 items-start gap-x-3.5 lg:grid-cols-[minmax(0,1fr)_19rem]">
        <div class="min-w-0">
          <section class="card mb-3.5 p-4" aria-label="The bridge">
            <div class="mb-1 flex flex-wrap items-center gap-1.5" role="group" aria-label="Column">
              {#each columns as c (c.name)}
                <button
                  class={['chip', c.name === column ? 'chip-on' : 'text-quiet']}
                  aria-pressed={c.name === column}
                  onclick={() => setParam('column', c.name)}>{wordsOf(c.name)}</button
                >
              {/each}
              {#if columns.length > 0}<span class="ml-1 text-2xs text-quiet print:hidden"
                  >press a bar for its own drivers</span
                >{/if}
            </div>
            {#if column}<Bridge drivers={d} {column} />{:else}<p class="text-quiet">
                The dataset has no categories.
              </p>{/if}
          </section>
          {#if column}
            <section class="card mb-3.5 overflow-x-auto" {@attach scrolls}>
              <table class="w-full" data-drivers={column}>
                <thead>
                  <tr class="h-9 border-b border-line text-quiet">
                    <th class="sticky left-0 bg-card px-4 text-left font-normal">{wordsOf(column)}</th>
                    <th class="px-3 text-right font-normal">{d.over}</th>
                    <th class="px-3 text-right font-normal">{d.against}</th>
                    <th class="px-3 text-right font-normal">effect</th>
                    <th class="px-3 text-right font-normal">contribution</th>
                    {#if quotient}<th class="px-3 text-right font-normal">mix</th><th
                        class="px-3 text-right font-normal">rate</th
                      >{/if}
                  </tr>
                </thead>
                <tbody>
                  {#each list as e, i (i)}
                    {@const own = recordsOf(d, e, 'own')}
                    {@const other = recordsOf(d, e, 'other')}
                    <tr class="group h-9 border-b border-line/60 hover:bg-ahead">
                      <th class="sticky left-0 bg-card px-4 text-left font-normal group-hover:bg-ahead" scope="row"
                        >{nameOf(e)}{#if e.flags}<span class="ml-1.5 text-2xs text-quiet">{e.flags.join(', ')}</span
                          >{/if}</th
                      >
                      <td class="px-3 text-right tabular-nums"
                        >{#if own && e.figure}<a
                            class="hover:text-inside hover:underline"
                            href={own}
                            title="Its records in the span">{shown(e.figure, decimals)}</a
                          >{:else}{shown(e.figure, decimals)}{/if}</td
                      >
                      <td class="px-3 text-right text-quiet tabular-nums"
                        >{#if other && e.counterpart}<a
                            class="hover:text-inside hover:underline"
                            href={other}
                            title="Its records in the counterpart">{shown(e.counterpart, decimals)}</a
                          >{:else}{shown(e.counterpart, decimals)}{/if}</td
                      >
                      <td class={['px-3 text-right tabular-nums', tone(e.difference)]}
                        >{signed(e.difference, decimals)}</td
                      >
                      <td class={['px-3 text-right tabular-nums', tone(e.difference)]}>{points(e.contribution)}</td>
                      {#if quotient}<td class="px-3 text-right tabular-nums">{signed(e.mix_effect ?? '0', decimals)}</td
                        ><td class="px-3 text-right tabular-nums">{signed(e.rate_effect ?? '0', decimals)}</td>{/if}
                    </tr>
                  {/each}
                  {#if total}
                    <tr class="h-9 font-semibold">
                      <th class="sticky left-0 bg-card px-4 text-left" scope="row">all</th>
                      <td class="px-3 text-right tabular-nums">{shown(total.figure, decimals)}</td>
                      <td class="px-3 text-right tabular-nums">{shown(total.counterpart, decimals)}</td>
                      <td class={['px-3 text-right tabular-nums', tone(total.difference)]}
                        >{signed(total.difference, decimals)}</td
                      >
                      <td class={['px-3 text-right tabular-nums', tone(total.difference)]}
                        >{points(total.contribution)}</td
                      >
                      {#if quotient}<td></td><td></td>{/if}
                    </tr>
                  {/if}
                </tbody>
              </table>
            </section>
          {/if}
        </div>
        <div>
          {#if columns.length > 1}
            <section class="card mb-3.5 p-4" aria-label="Where the change is uneven">
              <h2 class="mb-1 font-semibold">Where the change is uneven</h2>
              <ul>
                {#each columns as c (c.name)}
                  <li class="grid grid-cols-[6rem_1fr_auto] items-center gap-2 py-1">
                    <span class={c.name === column ? 'font-semibold' : ''}>{wordsOf(c.name)}</span>
                    <span class="h-1.5 rounded bg-line" aria-hidden="true"
                      ><span
                        class="block h-1.5 rounded bg-inside"
                        style:width={`${widest > 0 ? (100 * Number(c.unevenness)) / widest : 0}%`}
                      ></span></span
                    >
                    <span class="text-right tabular-nums">{shown(c.unevenness, decimals)}</span>
                  </li>
                {/each}
              </ul>
            </section>
          {/if}
          <Parts drivers={d} />
        </div>
      </div>
      <p class="text-quiet">
        As of <b class="font-semibold text-ink">{long(d.as_of)}</b>{d.at_close ? ', at close' : ''}, calendar {d.calendar},
        by
        {wordsOf(d.date)}. The effects of each column add up to the change.
      </p>
      <Notes notes={d.notes} />
    </div>
  {/if}
{/if}
