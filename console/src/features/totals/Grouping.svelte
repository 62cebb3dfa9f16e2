<script lang="ts">
  import { ToggleGroup } from 'bits-ui'
  import type { Dataset } from '../../api/client'
  import { datesOf, isPart, isTimed, otherCategoriesOf, timeParts, wordsOf, type PageQuery } from '../../lib/query'
  import { setParam } from '../../lib/address.svelte'
  import Select from '../../ui/Select.svelte'

  // The categories of a query, at most two; one of them may be set across, and the top values kept.
  let { dataset, query: q }: { dataset: Dataset; query: PageQuery } = $props()

  const categories = $derived(dataset.columns.filter((c) => c.role === 'category').map((c) => c.name))
  const others = $derived(otherCategoriesOf(dataset).map((c) => c.name))
  // Parts of time: of the date of the query, and of every other one.
  const parts = $derived([
    ...timeParts(isTimed(dataset, q.date)),
    ...datesOf(dataset)
      .filter((c) => (q.date === '' ? c.role !== 'day' : c.name !== q.date))
      .flatMap((c) => timeParts(c.type === 'timestamp').map((p) => `${p} of ${c.name}`)),
  ])
  const options = $derived([...categories, ...q.by.filter((c) => !categories.includes(c))])
  const crossed = $derived(q.by.length === 2 || (q.by.length === 1 && q.each !== ''))
</script>

<div class="flex flex-wrap items-center gap-1.5">
  <ToggleGroup.Root
    type="multiple"
    value={q.by}
    onValueChange={(v) => (
      setParam('by', v.slice(-2)),
      q.across && !v.includes(q.across) ? setParam('across', null) : undefined
    )}
    class="flex flex-wrap gap-1.5"
    aria-label="Categories, at most two"
  >
    {#each options as c (c)}
      <ToggleGroup.Item value={c} class={['chip', q.by.includes(c) ? 'chip-on' : 'text-quiet']}
        >{wordsOf(c)}</ToggleGroup.Item
      >
    {/each}
  </ToggleGroup.Root>
  {#if others.some((c) => !q.by.includes(c))}
    <Select
      label="Another column"
      value=""
      placeholder="another column…"
      options={others.filter((c) => !q.by.includes(c)).map((c) => ({ value: c, label: wordsOf(c) }))}
      onchoose={(v) => setParam('by', [...q.by, v].slice(-2))}
    />
  {/if}
  <Select
    label="Part of time"
    value=""
    placeholder="part of time…"
    options={parts.filter((p) => !q.by.includes(p)).map((p) => ({ value: p, label: wordsOf(p) }))}
    onchoose={(v) => setParam('by', [...q.by, v].slice(-2))}
  />
  {#if q.by.length > 0 && !isPart(q.by[0] ?? '')}
    <Select
      label="Top"
      value={q.top ? String(q.top) : 'none'}
      options={[
        { value: 'none', label: 'all values' },
        ...[3, 5, 10, 20, 50].map((n) => ({
          value: String(n),
          label: `top ${n} and the others`,
          hint: `of ${wordsOf(q.by[0] ?? '')}`,
        })),
      ]}
      onchoose={(v) => setParam('top', v === 'none' ? null : v)}
    />
  {/if}
  {#if crossed}
    <Select
      label="Across"
      value={q.across || 'none'}
      options={[
        { value: 'none', label: 'as a list' },
        ...q.by.map((c) => ({ value: c, label: `${wordsOf(c)} across` })),
      ]}
      onchoose={(v) => setParam('across', v === 'none' ? null : v)}
    />
  {/if}
</div>
