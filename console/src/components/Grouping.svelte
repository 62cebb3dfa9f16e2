<script lang="ts">
  import { ToggleGroup } from 'bits-ui'
  import type { Dataset } from '../lib/api'
  import type { Asked } from '../lib/question'
  import { setParam } from '../lib/state.svelte'
  import Choice from './Choice.svelte'

  // The categories of a question, at most two; one of them may be set across, and the top values kept.
  let { dataset, asked }: { dataset: Dataset; asked: Asked } = $props()

  const categories = $derived(dataset.columns.filter((c) => c.role === 'category').map((c) => c.name))
  const crossed = $derived(asked.by.length === 2 || (asked.by.length === 1 && asked.each !== ''))
</script>

<div class="flex flex-wrap items-center gap-1.5">
  <ToggleGroup.Root type="multiple" value={asked.by} onValueChange={(v) => (setParam('by', v.slice(-2)), asked.across && !v.includes(asked.across) ? setParam('across', null) : undefined)} class="flex flex-wrap gap-1.5" aria-label="Categories, at most two">
    {#each categories as c (c)}
      <ToggleGroup.Item value={c} class={['chip', asked.by.includes(c) ? 'chip-on' : 'text-quiet']}>{c.replaceAll('_', ' ')}</ToggleGroup.Item>
    {:else}<span class="text-quiet">no categories</span>{/each}
  </ToggleGroup.Root>
  {#if asked.by.length > 0}
    <Choice
      label="Top"
      value={asked.top ? String(asked.top) : 'none'}
      options={[{ value: 'none', label: 'all values' }, ...[3, 5, 10, 20, 50].map((n) => ({ value: String(n), label: `top ${n} and the rest`, hint: `of ${asked.by[0]?.replaceAll('_', ' ')}` }))]}
      onchoose={(v) => setParam('top', v === 'none' ? null : v)}
    />
  {/if}
  {#if crossed}
    <Choice
      label="Across"
      value={asked.across || 'none'}
      options={[{ value: 'none', label: 'as a list' }, ...asked.by.map((c) => ({ value: c, label: `${c.replaceAll('_', ' ')} across` }))]}
      onchoose={(v) => setParam('across', v === 'none' ? null : v)}
    />
  {/if}
</div>
