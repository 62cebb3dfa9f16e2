<script lang="ts">
  import ArrowLeftRight from '@lucide/svelte/icons/arrow-left-right'
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query'
  import { api, asCSV, data, text, type As, type Schemas } from '../../api/client'
  import { currentDataset, useAsOf, useDatasets } from '../../api/queries'
  import { knownState, mendParam, param, params, setParam } from '../../lib/address.svelte'
  import { long } from '../../lib/days'
  import { columnsOf, compact, datesOf, numbersOf, otherCategoriesOf, pluralOf, units, wordsOf } from '../../lib/query'
  import DatasetHead from '../../ui/DatasetHead.svelte'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'
  import NoRecords from '../../ui/NoRecords.svelte'
  import Select from '../../ui/Select.svelte'
  import AddToBrief from '../briefs/AddToBrief.svelte'
  import type { Item } from '../briefs/briefs'
  import Expression from '../spans/Expression.svelte'
  import Filters from '../totals/Filters.svelte'
  import Backlog from './Backlog.svelte'
  import Bands from './Bands.svelte'
  import Lengths from './Lengths.svelte'

  // How long records last, how old those are that are open, and how the backlog goes.
  type Question = Schemas['AgeingQuestion']

  const datasets = useDatasets()
  const asOf = useAsOf()
  // Without a dataset in the address, the first one that has two dates.
  const dataset = $derived.by(() => {
    const current = currentDataset(datasets.data)
    const fits = datasets.data?.find((d) => datesOf(d).length > 1)
    return param('dataset') === null && fits && current && datesOf(current).length < 2 ? fits : current
  })
  const dates = $derived(dataset ? datesOf(dataset).map((c) => c.name) : [])
  const choice = (name: string, list: readonly string[], otherwise = '') =>
    list.includes(param(name) ?? '') ? (param(name) ?? '') : otherwise
  // Without dates in the address, the first two in the direction in which fewer records end before they begin.
  const chosen = $derived(param('from') !== null || param('to') !== null)
  const direction = createQuery(() => {
    const [set, [a, b]] = [dataset, dates]
    const context = asOf.context
    return {
      queryKey: ['ageing-direction', set?.name, set?.version, a, b, context],
      queryFn: async () => {
        const ask = async (from: string, to: string) => {
          const body = { dataset: set!.name, from, to, ...context } as Question
          return data(await api.POST('/ageing', { body })).fault_records
        }
        const [ahead, back] = await Promise.all([ask(a!, b!), ask(b!, a!)])
        return back < ahead ? [b!, a!] : [a!, b!]
      },
      enabled: set !== undefined && b !== undefined && context !== null && !chosen,
      staleTime: Infinity,
    }
  })
  const usual = $derived(chosen || !direction.data ? dates : direction.data)
  const from = $derived(choice('from', dates, usual[0] ?? ''))
  const to = $derived(choice('to', dates, usual.find((d) => d !== from) ?? ''))
  const timed = $derived(
    [from, to].every((name) => dataset?.columns.find((c) => c.name === name)?.type === 'timestamp'),
  )
  const lengthUnits = $derived([
    'days',
    'business days',
    'weeks',
    'months',
    'calendar months',
    ...(timed ? ['hours'] : []),
  ])
  const unit = $derived(choice('unit', lengthUnits, 'days'))
  const bands = $derived(param('bands') ?? '0-7, 8-30, 31-90, 91+')
  const each = $derived(choice('each', units, 'month'))
  const categories = $derived(
    dataset ? [...columnsOf(dataset, 'category'), ...otherCategoriesOf(dataset)].map((c) => c.name) : [],
  )
  const amounts = $derived(dataset ? numbersOf(dataset).map((c) => c.name) : [])
  const by = $derived(choice('by', categories))
  const amount = $derived(choice('amount', amounts))
  const only = $derived(choice('only', ['open', 'closed'], 'all'))
  const within = $derived(/^\d{1,6}$/.test(param('within') ?? '') ? Number(param('within')) : null)
  const over = $derived(param('over') ?? '')
  const show = $derived(param('show') ?? '')
  let typedBands = $derived(bands)
  let typedOver = $derived(over)
  let typedShow = $derived(show)

  const asked = $derived.by(() => {
    if (!dataset || to === '' || asOf.context === null || (!chosen && direction.isPending)) return null
    const optional = compact({ by, amount, over, show, where: params('where') })
    const body = {
      dataset: dataset.name,
      from,
      to,
      unit,
      bands,
      each,
      only,
      ...optional,
      ...asOf.context,
      ...knownState(),
    }
    return { version: dataset.version, body: (within === null ? body : { ...body, within }) as Question }
  })
  const answer = createQuery(() => {
    const now = asked
    return {
      queryKey: ['ageing', now],
      queryFn: async () => data(await api.POST('/ageing', { body: now!.body })),
      enabled: now !== null,
      placeholderData: keepPreviousData,
    }
  })
  // The question as an item of a brief: the dataset belongs to the item, the as-of day on the brief.
  function toItem(kind: Item['kind'], title: string): Item {
    const body = asked!.body
    const ageing = Object.fromEntries(
      Object.entries(body).filter(([name]) => !['dataset', 'as_of', 'at_close', 'calendar', 'known'].includes(name)),
    ) as Item['ageing']
    return { kind, title, dataset: body.dataset, ageing } as Item
  }
  const take = (as: As) => api.POST('/ageing', { body: asked!.body, ...as })
  const csv = async () => text(await api.POST('/ageing', { body: { ...asked!.body, each: undefined }, ...asCSV }))
  const swap = () => {
    const [a, b] = [from, to]
    setParam('from', b)
    setParam('to', a, true)
  }
  const column = (label: string, value: string, name: string) => ({
    label,
    value,
    options: dates.map((d) => ({ value: d, label: wordsOf(d) })),
    onchoose: (v: string) => setParam(name, v),
  })
  const orNone = (label: string, list: string[]) => [
    { value: 'none', label },
    ...list.map((c) => ({ value: c, label: wordsOf(c) })),
  ]
  const optional = (name: string) => (v: string) => setParam(name, v === 'none' ? null : v)
</script>

<DatasetHead
  title="Ageing"
  {dataset}
  datasets={datasets.data ?? []}
  csv={asked ? csv : undefined}
  take={asked ? take : undefined}
>
  {#snippet tools()}
    {#if dataset && asked}<AddToBrief
        kinds={[{ value: 'ageing', label: 'lengths, bands and backlog' }]}
        make={toItem}
      />{/if}
  {/snippet}
</DatasetHead>

{#if datasets.isError}
  <ErrorPanel error={datasets.error} retry={() => void datasets.refetch()} />
{:else if datasets.isSuccess && !dataset}
  <NoRecords />
{:else if dataset && dates.length < 2}
  <section class="card p-8 text-center">
    <h2 class="font-semibold">Its records have one date</h2>
    <p class="mt-1 text-quiet">
      How long a record lasts needs two: the day on which it begins, and the one on which it ends.
    </p>
  </section>
{:else if dataset}
  <section
    class="card mb-3.5 grid gap-x-4 gap-y-2.5 p-4 sm:grid-cols-[5.5rem_1fr] sm:items-center"
    aria-label="The question"
  >
    <span class="text-quiet">From</span>
    <div class="flex flex-wrap items-center gap-1.5">
      <Select {...column('Begins on', from, 'from')} />
      <span class="text-quiet">to</span>
      <Select {...column('Ends on', to, 'to')} />
      <button class="button px-2" aria-label="Swap the two dates" onclick={swap}
        ><ArrowLeftRight class="size-4" /></button
      >
      <span class="text-quiet">in</span>
      <Select
        label="Counted in"
        value={unit}
        options={lengthUnits.map((u) => ({ value: u, label: u }))}
        onchoose={(v) => setParam('unit', v === 'days' ? null : v)}
      />
      <Select
        label="Which records"
        value={only}
        options={[
          { value: 'all', label: 'open and closed' },
          { value: 'open', label: 'open ones' },
          { value: 'closed', label: 'closed ones' },
        ]}
        onchoose={(v) => setParam('only', v === 'all' ? null : v)}
      />
    </div>
    <label class="text-quiet" for="ageing-bands">Bands</label>
    <form
      class="flex flex-wrap items-center gap-1.5"
      onsubmit={(e) => {
        e.preventDefault()
        setParam('bands', typedBands.trim() === '' ? null : typedBands)
      }}
    >
      <input id="ageing-bands" class="field w-64 font-mono text-[0.75rem]" bind:value={typedBands} autocomplete="off" />
      <button class="button" disabled={typedBands === bands}>Set</button>
      <label class="ml-2 flex items-center gap-1.5 text-quiet"
        >share within <input
          class="field w-20"
          inputmode="numeric"
          value={within ?? ''}
          onchange={(e) => setParam('within', e.currentTarget.value.trim() || null)}
        />
        {unit}</label
      >
    </form>
    <span class="text-quiet">By</span>
    <div class="flex flex-wrap items-center gap-1.5">
      <Select label="By" value={by || 'none'} options={orNone('all together', categories)} onchoose={optional('by')} />
      <Select
        label="Amount"
        value={amount || 'none'}
        options={orNone('no amount', amounts)}
        onchoose={optional('amount')}
      />
      <Select
        label="Each"
        value={each}
        options={units.map((u) => ({ value: u, label: `backlog by ${pluralOf(u)}` }))}
        onchoose={(v) => setParam('each', v)}
      />
    </div>
    <span class="text-quiet">Where</span>
    <Filters {dataset} context={asOf.context} />
    <span class="text-quiet">Begun in</span>
    <form
      class="flex flex-wrap items-start gap-1.5"
      onsubmit={(e) => {
        e.preventDefault()
        setParam('over', typedOver.trim() === '' ? null : typedOver.trim())
      }}
    >
      {#if over === '' && typedOver === ''}
        <button type="button" class="chip text-quiet hover:text-ink" onclick={() => (typedOver = 'this year')}
          >any time</button
        >
      {:else}
        <div class="w-96">
          <Expression id="ageing-over" label="Span" bind:value={typedOver} context={asOf.context} />
        </div>
        <button class="button mt-5" disabled={typedOver === over}>Set</button>
        <button type="button" class="button mt-5" onclick={() => ((typedOver = ''), setParam('over', null))}
          >Any time</button
        >
      {/if}
    </form>
    <span class="text-quiet">Backlog shown</span>
    <form
      class="flex flex-wrap items-start gap-1.5"
      onsubmit={(e) => {
        e.preventDefault()
        setParam('show', typedShow.trim() === '' ? null : typedShow.trim())
      }}
    >
      {#if show === '' && typedShow === ''}
        <button type="button" class="chip text-quiet hover:text-ink" onclick={() => (typedShow = 'this year')}
          >from its beginning</button
        >
      {:else}
        <div class="w-96">
          <Expression id="ageing-show" label="Span shown" bind:value={typedShow} context={asOf.context} />
        </div>
        <button class="button mt-5" disabled={typedShow === show}>Set</button>
        <button type="button" class="button mt-5" onclick={() => ((typedShow = ''), setParam('show', null))}
          >From its beginning</button
        >
      {/if}
    </form>
  </section>

  {#if answer.isError}
    <ErrorPanel error={answer.error} retry={() => void answer.refetch()} mend={mendParam} />
  {:else if !answer.data}
    <div class="card h-56 animate-pulse" aria-busy="true" aria-label="Counting"></div>
  {:else}
    {@const a = answer.data}
    <div class={answer.isPlaceholderData ? 'opacity-70' : ''} aria-busy={answer.isPlaceholderData}>
      <Lengths answer={a} />
      <div class="mb-3.5 grid grid-cols-1 items-start gap-3.5 lg:grid-cols-2">
        <Bands answer={a} />
        <Backlog answer={a} />
      </div>
      <p class="text-quiet">
        As of <b class="font-semibold text-ink">{long(a.as_of)}</b>, calendar {a.calendar}. The age of an open record is
        counted to that day; what was closed later counts as open.
      </p>
      {#each a.cautions ?? [] as caution (caution)}
        <p class="mt-1 text-quiet"><b class="font-semibold text-worse">Caution</b> {caution}</p>
      {/each}
      {#if a.undated > 0}<p class="mt-1 font-semibold text-worse">
          {a.undated.toLocaleString('en')} excluded: no date in {wordsOf(a.from)}
        </p>{/if}
      {#if a.not_begun > 0}<p class="mt-1 text-quiet">
          {a.not_begun.toLocaleString('en')} left out: {wordsOf(a.from)} is after the as-of day
        </p>{/if}
      {#if a.fault_records > 0}
        <details class="mt-1" data-faults>
          <summary class="font-semibold text-worse"
            >{a.fault_records.toLocaleString('en')} left out: {wordsOf(a.to)} comes before {wordsOf(a.from)}</summary
          >
          <ul class="mt-1 text-quiet">
            {#each a.faults ?? [] as f, i (i)}<li>{f.from} to {f.to}: {f.records.toLocaleString('en')}</li>{/each}
          </ul>
        </details>
      {/if}
    </div>
  {/if}
{/if}
