<script lang="ts">
  import { isDay, long, toNumber } from '../../lib/days'

  // Two dates where a span is expected, either left open; kept as an ISO interval.
  let { id, onuse, value = '' }: { id: string; onuse: (expression: string) => void; value?: string } = $props()

  // svelte-ignore state_referenced_locally -- the fields start from the value and go their own way
  const started = /^(\d{4}-\d{2}-\d{2})\/(\d{4}-\d{2}-\d{2})$/.exec(value)
  let first = $state(started?.[1] ?? '')
  let last = $state(started?.[2] ?? '')

  const wrong = $derived(
    first !== '' && !isDay(first)
      ? `${first} is no day: expected one such as 2026-03-05`
      : last !== '' && !isDay(last)
        ? `${last} is no day: expected one such as 2026-03-05`
        : first !== '' && last !== '' && toNumber(first) > toNumber(last)
          ? `${long(first)} comes after ${long(last)}`
          : '',
  )
  const expression = $derived(
    first === '' && last === ''
      ? ''
      : first === ''
        ? `through ${last}`
        : last === ''
          ? `from ${first} onward`
          : `${first}/${last}`,
  )
</script>

<form
  class="flex flex-wrap items-end gap-2"
  onsubmit={(e) => {
    e.preventDefault()
    if (!wrong && expression) onuse(expression)
  }}
>
  <div class="min-w-0 flex-1">
    <label class="label" for={id + '-first'}>From</label><input
      id={id + '-first'}
      type="date"
      class="field"
      bind:value={first}
      min="0001-01-01"
      max="9999-12-31"
    />
  </div>
  <div class="min-w-0 flex-1">
    <label class="label" for={id + '-last'}>Through</label><input
      id={id + '-last'}
      type="date"
      class="field"
      bind:value={last}
      min="0001-01-01"
      max="9999-12-31"
    />
  </div>
  <button class="button button-strong" disabled={wrong !== '' || expression === ''}>Use</button>
</form>
<p class={['mt-1 min-h-5 text-2xs', wrong ? 'text-worse' : 'text-quiet']} aria-live="polite" data-date-pair>
  {wrong || (expression ? `kept as ${expression}` : 'Either side may be left open.')}
</p>
