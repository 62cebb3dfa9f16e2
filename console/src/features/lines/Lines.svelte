<script lang="ts">
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query'
  import Plus from '@lucide/svelte/icons/plus'
  import { Popover } from 'bits-ui'
  import { api, asCSV, data, text, type As } from '../../api/client'
  import { useAsOf, useDatasets } from '../../api/queries'
  import { knownState, param, params, setParam } from '../../lib/address.svelte'
  import { long, ranges } from '../../lib/days'
  import { compact, resetsOf, units, wordsOf } from '../../lib/query'
  import DataTable from '../../ui/DataTable.svelte'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'
  import NoRecords from '../../ui/NoRecords.svelte'
  import { scrolls } from '../../ui/scrolls'
  import Select from '../../ui/Select.svelte'
  import TableTools from '../../ui/TableTools.svelte'
  import AddToBrief from '../briefs/AddToBrief.svelte'
  import LineEditor from './LineEditor.svelte'
  import { defaultLines, lineText, parseLine, toLine, type LineText } from './lines'
  import LinesChart from './LinesChart.svelte'

  const datasets = useDatasets()
  const asOf = useAsOf()
  const lines = $derived.by(() => {
    const stated = params('line')
      .map(parseLine)
      .filter((l) => l !== null)
    return stated.length > 0 ? stated : defaultLines(datasets.data ?? [])
  })
  const oneOf = (name: string, list: readonly string[]) => (list.includes(param(name) ?? '') ? (param(name) ?? '') : '')
  const each = $derived(oneOf('each', units) || 'month')
  const running = $derived(oneOf('running', resetsOf(each)))
  let editing = $state<number | null>(null)

  const asked = $derived.by(() => {
    if (lines.length === 0 || asOf.context === null) return null
    const versions = datasets.data?.map((d) => d.version)
    return {
      versions,
      body: { lines: lines.map(toLine), each, ...compact({ running }), ...asOf.context, ...knownState() },
    }
  })
  const lineup = createQuery(() => {
    const now = asked
    return {
      queryKey: ['lines', now],
      queryFn: async () => data(await api.POST('/lines', { body: now!.body })),
      enabled: now !== null,
      placeholderData: keepPreviousData,
    }
  })
  const take = (as: As) => api.POST('/lines', { body: asked!.body, ...as })
  const csv = async () => text(await api.POST('/lines', { body: asked!.body, ...asCSV }))

  const keep = (next: LineText[]) => {
    setParam('line', next.map(lineText))
    editing = null
  }
  // /lines/0/over/0 and /lines/0/against/0: the expressions of a line.
  function mend(pointer: string, expression: string) {
    const [, , at, part] = pointer.split('/')
    if (part === 'over' || part === 'against')
      keep(lines.map((l, i) => (i === Number(at) ? { ...l, [part]: expression } : l)))
  }
  const blank = $derived<LineText>({
    label: `line ${lines.length + 1}`,
    dataset: datasets.data?.[0]?.name ?? '',
    over: 'last full year',
    figures: 'count',
    where: [],
    against: '',
    planned: false,
  })
</script>

<svelte:head><title>Lines · Vast Span</title></svelte:head>

<div class="mb-2.5 flex flex-wrap items-center gap-3">
  <h1 class="text-xl font-semibold tracking-tight">Lines</h1>
  <span class="text-quiet">lined up by the position of the {each} in the year, each cut by its own span</span>
  <div class="ml-auto flex flex-wrap gap-2">
    {#if lines.length > 0}
      <AddToBrief
        kinds={[{ value: 'lines', label: 'lines' }]}
        make={(kind, title) => ({ kind, title, each, ...compact({ running }), lines: lines.map(toLine) })}
      />
    {/if}
    <TableTools csv={asked ? csv : undefined} take={asked ? take : undefined} />
  </div>
</div>

{#if datasets.isError}
  <ErrorPanel error={datasets.error} retry={() => void datasets.refetch()} />
{:else if datasets.isSuccess && datasets.data.length === 0}
  <NoRecords />
{:else}
  <section
    class="card mb-3.5 grid gap-x-4 gap-y-2.5 p-4 sm:grid-cols-[5.5rem_1fr] sm:items-center"
    aria-label="The lines"
  >
    <span class="text-quiet">Lines</span>
    <div class="flex flex-wrap items-center gap-1.5" data-lines>
      {#each [...lines, null] as l, i (i)}
        <Popover.Root open={editing === i} onOpenChange={(o) => (editing = o ? i : null)}>
          <Popover.Trigger class={['chip', l ? 'chip-on' : 'text-quiet hover:text-ink']}
            >{#if l}{l.label}{:else}<Plus class="size-3" aria-hidden="true" />Line{/if}</Popover.Trigger
          >
          <Popover.Portal>
            <Popover.Content class="card z-40 w-[min(26rem,94vw)] p-3 shadow-lg" sideOffset={4} align="start">
              {#if editing === i}
                <LineEditor
                  line={l ?? blank}
                  datasets={datasets.data ?? []}
                  context={asOf.context}
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
      <Select
        label="Each"
        value={each}
        options={units.map((u) => ({ value: u, label: u }))}
        onchoose={(v) => setParam('each', v)}
      />
      <Select
        label="Running"
        value={running || 'none'}
        options={[
          { value: 'none', label: 'no running figure' },
          ...resetsOf(each).map((u) => ({ value: u, label: `running by ${u}` })),
        ]}
        onchoose={(v) => setParam('running', v === 'none' ? null : v)}
      />
    </div>
  </section>

  {#if lineup.isError}
    <ErrorPanel error={lineup.error} retry={() => void lineup.refetch()} {mend} />
  {:else if !lineup.data}
    <div class="card h-72 animate-pulse" aria-busy="true" aria-label="Adding up"></div>
  {:else}
    {@const up = lineup.data}
    <section class="card mb-3.5 p-4">
      <LinesChart lineup={up} planned={lines.map((l) => l.planned)} title="Lines" height={230} />
    </section>
    <section
      {@attach scrolls}
      class={['card overflow-x-auto', lineup.isPlaceholderData && 'opacity-70']}
      aria-busy={lineup.isPlaceholderData}
      data-lineup
    >
      <DataTable table={up.table} />
    </section>
    <p class="mt-2.5 text-quiet">
      As of <b class="font-semibold text-ink">{long(up.as_of)}</b>{up.at_close ? ', at close' : ''}, calendar {up.calendar}.
    </p>
    {#each up.lines as l (l.label)}
      {@const s = l.spans[0]}
      {#if s}
        <p class="mt-1 text-quiet">
          <b class="font-semibold text-ink">{l.label}</b>: {l.tables[0]?.columns[0]?.title} of {l.dataset} by {wordsOf(
            l.date,
          )},
          {s.expression}, {ranges(s.intervals)}
          {#each l.notes.filter((n) => n.level !== 'info') as n (n.text)}
            <span class="block"
              ><b class="font-semibold text-worse">{n.level === 'caution' ? 'Caution ' : ''}</b>{n.text}</span
            >
          {/each}
        </p>
      {/if}
    {/each}
  {/if}
{/if}
