<script lang="ts">
  import Plus from '@lucide/svelte/icons/plus'
  import X from '@lucide/svelte/icons/x'
  import { Popover } from 'bits-ui'
  import type { Dataset } from '../lib/api'
  import { toBeside, type Asked } from '../lib/question'
  import { setParam } from '../lib/state.svelte'
  import Choice from './Choice.svelte'

  // What a question compares with: other days of the same records, or other records of the same days.
  let { dataset, datasets, asked }: { dataset: Dataset; datasets: Dataset[]; asked: Asked } = $props()

  const usual = ['1 year earlier', '52 weeks earlier', 'prior']
  let typed = $state('')
  let other = $state('')
  let columns = $state<Record<string, string>>({})

  const others = $derived(datasets.filter((d) => d.name !== dataset.name))
  const chosen = $derived(others.find((d) => d.name === other))
  // The columns that the other records must have, under these or other names.
  const needed = $derived([...new Set([...asked.figures.map((f) => f.split(':')[1] ?? ''), ...asked.by].filter((c) => c !== ''))])
  const fits = (name: string) => chosen?.columns.filter((c) => c.type === dataset.columns.find((d) => d.name === name)?.type) ?? []
  const stands = (name: string) => columns[name] ?? (chosen?.columns.some((c) => c.name === name) ? name : (fits(name)[0]?.name ?? ''))

  const keepAgainst = (list: string[]) => setParam('against', list)
  function toggle(text: string) {
    keepAgainst(asked.against.includes(text) ? asked.against.filter((a) => a !== text) : [...asked.against, text])
  }
  function add() {
    if (typed.trim() !== '') keepAgainst([...asked.against, typed.trim()])
    typed = ''
  }
  function addRecords() {
    const pairs = needed.filter((n) => stands(n) !== n && stands(n) !== '').map((n) => `${n}=${stands(n)}`)
    setParam('beside', [...asked.beside, [other, ...pairs].join(' ')])
    other = ''
    columns = {}
  }
</script>

<div class="flex flex-wrap items-center gap-1.5" data-against>
  {#each [...usual, ...asked.against.filter((a) => !usual.includes(a))] as a (a)}
    <button class={['chip', asked.against.includes(a) ? 'chip-on' : 'text-quiet']} aria-pressed={asked.against.includes(a)} onclick={() => toggle(a)}>{a}</button>
  {/each}
  {#each asked.beside as b (b)}
    <span class="chip chip-on pr-0.5">
      records of {toBeside(b).dataset}
      <button class="rounded p-1 hover:bg-ahead" aria-label={`Leave the records of ${toBeside(b).dataset} out`} onclick={() => setParam('beside', asked.beside.filter((x) => x !== b))}><X class="size-3" /></button>
    </span>
  {/each}
  <Popover.Root>
    <Popover.Trigger class="chip text-quiet hover:text-ink"><Plus class="size-3" aria-hidden="true" />Counterpart</Popover.Trigger>
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
            <input id="against-text" class="field font-mono text-[0.75rem]" bind:value={typed} autocomplete="off" placeholder="3 months earlier" />
            <button class="button button-strong" disabled={typed.trim() === ''}>Add</button>
          </div>
        </form>
        {#if others.length > 0}
          <h3 class="label mt-3">Other records: a plan, say</h3>
          <Choice label="Records of" wide value={other} options={others.map((d) => ({ value: d.name, label: d.name, hint: d.columns.map((c) => c.name).join(', ') }))} onchoose={(v) => ((other = v), (columns = {}))} placeholder="Dataset…" />
          {#if chosen}
            {#each needed as n (n)}
              <div class="mt-2 grid grid-cols-2 items-center gap-2">
                <span class="truncate">{n.replaceAll('_', ' ')} <span class="text-quiet">is there</span></span>
                <Choice label={`The column for ${n}`} wide value={stands(n)} options={fits(n).map((c) => ({ value: c.name, label: c.name.replaceAll('_', ' ') }))} onchoose={(v) => (columns = { ...columns, [n]: v })} />
              </div>
            {/each}
            <div class="mt-2.5 flex justify-end"><button class="button button-strong" onclick={addRecords}>Set beside</button></div>
          {/if}
        {/if}
      </Popover.Content>
    </Popover.Portal>
  </Popover.Root>
</div>
