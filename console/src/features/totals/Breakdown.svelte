<script lang="ts">
  import { pluralOf, resetsOf, toggle, unitsOf, type PageQuery } from '../../lib/query'
  import { setParam } from '../../lib/address.svelte'
  import Select from '../../ui/Select.svelte'
  import { useEventLists } from '../events/events'

  // How a query is broken down: units, and what their rows are given beside the figure.
  let { query: q, timed }: { query: PageQuery; timed: boolean } = $props()

  const lists = useEventLists()
  const set = (name: string) => (v: string) => setParam(name, v === 'none' ? null : v)
</script>

<div class="flex flex-wrap items-center gap-2">
  <Select
    label="Each"
    value={q.each || 'none'}
    options={[{ value: 'none', label: 'not broken down' }, ...unitsOf(timed).map((u) => ({ value: u, label: u }))]}
    onchoose={set('each')}
  />
  {#if q.each === 'day' && (lists.data?.length ?? 0) > 0}
    <Select
      label="Counted from"
      value={q.align || 'none'}
      options={[
        { value: 'none', label: 'days by their date' },
        ...(lists.data ?? []).map((l) => ({
          value: `event ${l.definition.name}`,
          label: `days from ${l.definition.name}`,
        })),
      ]}
      onchoose={set('align')}
    />
  {/if}
  {#if q.each}
    <Select
      label="Running"
      value={q.running || 'none'}
      options={[
        { value: 'none', label: 'no running figure' },
        ...resetsOf(q.each).map((u) => ({ value: u, label: `running by ${u}` })),
      ]}
      onchoose={set('running')}
    />
    <Select
      label="Rolling"
      value={q.rolling ? String(q.rolling) : 'none'}
      options={[
        { value: 'none', label: 'no rolling figure' },
        ...[2, 3, 4, 6, 7, 12, 13, 24].map((n) => ({ value: String(n), label: `rolling ${n} ${pluralOf(q.each)}` })),
      ]}
      onchoose={set('rolling')}
    />
    <button
      class={['chip', q.previous ? 'chip-on' : 'text-quiet']}
      aria-pressed={q.previous}
      onclick={() => toggle('previous')}>{q.each} before</button
    >
    {#if q.rolling}
      <button
        class={['chip', q.blank_incomplete ? 'chip-on' : 'text-quiet']}
        aria-pressed={q.blank_incomplete}
        onclick={() => toggle('blank_incomplete')}>incomplete left blank</button
      >
    {/if}
    <button
      class={['chip', q.planned ? 'chip-on' : 'text-quiet']}
      aria-pressed={q.planned}
      onclick={() => toggle('planned')}
      title="Units in the future count like the others">records are planned</button
    >
  {/if}
  <Select
    label="Share"
    value={q.share || 'none'}
    options={[
      { value: 'none', label: 'no share' },
      { value: 'span', label: 'share of the span' },
      ...(q.each ? [{ value: 'unit', label: `share of the ${q.each}` }] : []),
    ]}
    onchoose={set('share')}
  />
</div>
