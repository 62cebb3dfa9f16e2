<script lang="ts">
  import { plural, resetsOf, units, type Asked } from '../lib/question'
  import { setParam } from '../lib/state.svelte'
  import Choice from './Choice.svelte'

  // How a question is broken down: units, and what their rows are given beside the figure.
  let { asked }: { asked: Asked } = $props()

  const set = (name: string) => (v: string) => setParam(name, v === 'none' ? null : v)
  const toggle = (name: string, on: boolean) => setParam(name, on ? null : 'yes')
</script>

<div class="flex flex-wrap items-center gap-2">
  <Choice label="Each" value={asked.each || 'none'} options={[{ value: 'none', label: 'not broken down' }, ...units.map((u) => ({ value: u, label: u }))]} onchoose={set('each')} />
  {#if asked.each}
    <Choice label="Running" value={asked.running || 'none'} options={[{ value: 'none', label: 'no running figure' }, ...resetsOf(asked.each).map((u) => ({ value: u, label: `running by ${u}` }))]} onchoose={set('running')} />
    <Choice
      label="Rolling"
      value={asked.rolling ? String(asked.rolling) : 'none'}
      options={[{ value: 'none', label: 'no rolling figure' }, ...[2, 3, 4, 6, 7, 12, 13].map((n) => ({ value: String(n), label: `rolling ${n} ${plural(asked.each)}` }))]}
      onchoose={set('rolling')}
    />
    <button class={['chip', asked.previous ? 'chip-on' : 'text-quiet']} aria-pressed={asked.previous} onclick={() => toggle('previous', asked.previous)}>{asked.each} before</button>
    {#if asked.rolling}
      <button class={['chip', asked.blankIncomplete ? 'chip-on' : 'text-quiet']} aria-pressed={asked.blankIncomplete} onclick={() => toggle('blank_incomplete', asked.blankIncomplete)}>incomplete left blank</button>
    {/if}
    <button class={['chip', asked.planned ? 'chip-on' : 'text-quiet']} aria-pressed={asked.planned} onclick={() => toggle('planned', asked.planned)} title="Units that are ahead count like the others">records are planned</button>
  {/if}
  <Choice
    label="Share"
    value={asked.share || 'none'}
    options={[{ value: 'none', label: 'no share' }, { value: 'span', label: 'share of the span' }, ...(asked.each ? [{ value: 'unit', label: `share of the ${asked.each}` }] : [])]}
    onchoose={set('share')}
  />
</div>
