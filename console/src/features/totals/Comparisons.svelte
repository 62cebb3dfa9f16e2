<script lang="ts">
  import Plus from '@lucide/svelte/icons/plus'
  import X from '@lucide/svelte/icons/x'
  import { Popover } from 'bits-ui'
  import type { Dataset } from '../../api/client'
  import { useFigureKinds } from '../../api/queries'
  import { wordsOf, type PageQuery } from '../../lib/query'
  import { setParam } from '../../lib/address.svelte'
  import Select from '../../ui/Select.svelte'

  // What a query compares with: other days of the same records, or other records of the same days.
  let { dataset, datasets, query: q }: { dataset: Dataset; datasets: Dataset[]; query: PageQuery } = $props()

  const datasetOf = (text: string) => text.split(' ')[0] ?? ''
  const suggested = ['1 year earlier', '52 weeks earlier', 'prior']
  let typed = $state('')
  let other = $state('')
  let columns = $state<Record<string, string>>({})

  const others = $derived(datasets.filter((d) => d.name !== dataset.name))
  const chosen = $derived(others.find((d) => d.name === other))
  // The columns that the other records must have, under these or other names.
  const kinds = useFigureKinds()
  const needed = $derived([
    ...new Set(
      [...q.figures.map((f) => kinds.parse(f)).flatMap((f) => [f.column, f.over]), ...q.by].filter((c) => c !== ''),
    ),
  ])
  const fits = (name: string) =>
    chosen?.columns.filter((c) => c.type === dataset.columns.find((d) => d.name === name)?.type) ?? []
  const stands = (name: string) =>
    columns[name] ?? (chosen?.columns.some((c) => c.name === name) ? name : (fits(name)[0]?.name ?? ''))

  const quote = (name: string) =>
    /[ \t="]/.test(name) || name === 'by' || name === 'where' ? `"${name.replaceAll('"', '""')}"` : name

  const keepAgainst = (list: string[]) => setParam('against', list)
  function toggle(text: string) {
    keepAgainst(q.against.includes(text) ? q.against.filter((a) => a !== text) : [...q.against, text])
  }
  function add() {
    if (typed.trim() !== '') keepAgainst([...q.against, typed.trim()])
    typed = ''
  }
  function addRecords() {
    const pairs = needed
      .filter((n) => stands(n) !== n && stands(n) !== '')
      .map((n) => `${quote(n)}=${quote(stands(n))}`)
    setParam('against_dataset', [...q.against_dataset, [other, ...pairs].join(' ')])
    other = ''
    columns = {}
  }
</script>

<div class="flex flex-wrap items-center gap-1.5" data-against>
  {#each [...suggested, ...q.against.filter((a) => !suggested.includes(a))] as a (a)}
    <button
      class={['chip', q.against.includes(a) ? 'chip-on' : 'text-quiet']}
      aria-pressed={q.against.includes(a)}
      onclick={() => toggle(a)}>{a}</button
    >
  {/each}
  {#each q.against_dataset as b (b)}
    <span class="chip chip-on pr-0.5">
      {datasetOf(b)}
      <button
        class="rounded p-1 hover:bg-ahead"
        aria-label={`Leave ${datasetOf(b)} out`}
        onclick={() =>
          setParam(
            'against_dataset',
            q.against_dataset.filter((x) => x !== b),
          )}><X class="size-3" /></button
      >
    </span>
  {/each}
  <Popover.Root>
    <Popover.Trigger class="chip text-quiet hover:text-ink"
      ><Plus class="size-3" aria-hidden="true" />Comparison</Popover.Trigger
    >
    <Popover.Portal>
      <Popover.Content class="card z-40 w-[min(24rem,94vw)] p-3 shadow-lg" sideOffset={4} align="start">
        <form
          onsubmit={(e) => {
            e.preventDefault()
            add()
          }}
        >
          <label class="label" for="against-text">Other days: a move such as 3 months earlier, prior, or a span</label>
          <div class="flex gap-2">
            <input
              id="against-text"
              class="field font-mono text-[0.75rem]"
              bind:value={typed}
              autocomplete="off"
              placeholder="3 months earlier"
            />
            <button class="button button-strong" disabled={typed.trim() === ''}>Add</button>
          </div>
        </form>
        {#if others.length > 0}
          <h3 class="label mt-3">Other records: a plan, say</h3>
          <Select
            label="Records of"
            wide
            value={other}
            options={others.map((d) => ({
              value: d.name,
              label: d.name,
              hint: d.columns.map((c) => c.name).join(', '),
            }))}
            onchoose={(v) => ((other = v), (columns = {}))}
            placeholder="Dataset…"
          />
          {#if chosen}
            {#each needed as n (n)}
              <div class="mt-2 grid grid-cols-2 items-center gap-2">
                <span class="truncate">{wordsOf(n)} <span class="text-quiet">is there</span></span>
                <Select
                  label={`The column for ${n}`}
                  wide
                  value={stands(n)}
                  options={fits(n).map((c) => ({ value: c.name, label: wordsOf(c.name) }))}
                  onchoose={(v) => (columns = { ...columns, [n]: v })}
                />
              </div>
            {/each}
            <div class="mt-2.5 flex justify-end">
              <button class="button button-strong" onclick={addRecords}>Compare</button>
            </div>
          {/if}
        {/if}
      </Popover.Content>
    </Popover.Portal>
  </Popover.Root>
</div>
