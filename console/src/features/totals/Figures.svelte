<script lang="ts">
  import Plus from '@lucide/svelte/icons/plus'
  import X from '@lucide/svelte/icons/x'
  import { Popover } from 'bits-ui'
  import type { Dataset } from '../../api/client'
  import { useFigureKinds } from '../../api/queries'
  import { numbersOf, wordsOf } from '../../lib/query'
  import Select from '../../ui/Select.svelte'

  // The figures of a query: any way to put any amount together, two of them one by the other, how many different values
  // a column has, and what is made of those that add up.
  let { dataset, figures, onchange }: { dataset: Dataset; figures: string[]; onchange: (figures: string[]) => void } =
    $props()

  const kinds = useFigureKinds()
  const amounts = $derived(numbersOf(dataset))
  const options = $derived(amounts.map((c) => ({ value: c.name, label: wordsOf(c.name) })))
  const others = $derived(dataset.columns.filter((c) => c.type !== 'number'))
  let pair = $state({ column: '', over: '' })
  const base = $derived(figures.filter((f) => kinds.addsUp(f) && kinds.parse(f).derived === ''))
  const derivedOf = (f: string, derivation: string) => kinds.write({ ...kinds.parse(f), derived: derivation })
  const put = (f: string) => onchange(figures.includes(f) ? figures.filter((x) => x !== f) : [...figures, f])
</script>

{#snippet chip(figure: string, words: string, help?: string)}
  <button
    class={['chip', figures.includes(figure) && 'chip-on']}
    aria-pressed={figures.includes(figure)}
    title={help}
    onclick={() => put(figure)}>{words}</button
  >
{/snippet}

<div class="flex flex-wrap items-center gap-1.5" data-figures>
  {#each figures as f (f)}
    <span class="chip chip-on pr-0.5">
      {kinds.words(f)}
      <button
        class="rounded p-1 hover:bg-ahead"
        aria-label={`Leave ${kinds.words(f)} out`}
        onclick={() => onchange(figures.filter((x) => x !== f))}
        disabled={figures.length === 1}><X class="size-3" /></button
      >
    </span>
  {/each}
  <Popover.Root>
    <Popover.Trigger class="chip text-quiet hover:text-ink"
      ><Plus class="size-3" aria-hidden="true" />Figure</Popover.Trigger
    >
    <Popover.Portal>
      <Popover.Content
        class="card z-40 max-h-[28rem] w-[min(42rem,94vw)] overflow-y-auto p-3 shadow-lg"
        sideOffset={4}
        align="start"
      >
        <div class="pb-2">{@render chip('count', 'count of records')}</div>
        {#each amounts as c (c.name)}
          <div class="grid grid-cols-[7.5rem_1fr] items-baseline gap-1 border-t border-line/60 py-1.5">
            <span class="truncate"
              >{wordsOf(c.name)}{#if c.unit}<span class="ml-1 text-2xs text-quiet">{c.unit}</span>{/if}</span
            >
            <span class="flex flex-wrap gap-1">
              {#each kinds.of(c) as k (k.kind)}
                {@render chip(kinds.write({ kind: k.kind, column: c.name, over: '', derived: '' }), k.words)}
              {/each}
            </span>
          </div>
        {/each}
        {#each others[0] ? kinds.of(others[0]) : [] as k (k.kind)}
          <div class="grid grid-cols-[7.5rem_1fr] items-baseline gap-1 border-t border-line/60 py-1.5">
            <span>{k.words} of</span>
            <span class="flex flex-wrap gap-1">
              {#each others as c (c.name)}
                {@render chip(kinds.write({ kind: k.kind, column: c.name, over: '', derived: '' }), wordsOf(c.name))}
              {/each}
            </span>
          </div>
        {/each}
        {#each amounts.length > 1 ? kinds.pairs : [] as k (k.kind)}
          {@const f = kinds.write({ kind: k.kind, ...pair, derived: '' })}
          <div class="flex flex-wrap items-center gap-1.5 border-t border-line/60 py-1.5" data-pair={k.kind}>
            {k.words} of
            <Select
              label={`${k.words} of`}
              value={pair.column}
              {options}
              onchoose={(v) => (pair.column = v)}
              placeholder="an amount…"
            />
            to
            <Select
              label={`${k.words} to`}
              value={pair.over}
              {options}
              onchoose={(v) => (pair.over = v)}
              placeholder="an amount…"
            />
            <button
              class={['chip', figures.includes(f) && 'chip-on']}
              aria-pressed={figures.includes(f)}
              disabled={pair.column === '' || pair.over === ''}
              onclick={() => put(f)}>{figures.includes(f) ? 'leave out' : 'add'}</button
            >
          </div>
        {/each}
        {#each base as f (f)}
          <div class="grid grid-cols-[7.5rem_1fr] items-baseline gap-1 border-t border-line/60 py-1.5" data-derived={f}>
            <span class="truncate" title={kinds.words(f)}>{kinds.words(f)}</span>
            <span class="flex flex-wrap gap-1">
              {#each kinds.derivations as d (d.derivation)}
                {@render chip(derivedOf(f, d.derivation), d.derivation, d.help)}
              {/each}
            </span>
          </div>
        {/each}
      </Popover.Content>
    </Popover.Portal>
  </Popover.Root>
</div>
