<script lang="ts">
  // Building blocks of an expression: what is clicked is written into the field, so that nobody has to know the language to
  // begin. What is typed stays as it is typed.
  let { value = $bindable() }: { value: string } = $props()

  const forms = [
    { form: 'last full', words: 'last full', help: 'the newest that are over', counts: true },
    { form: 'this', words: 'this', help: 'the one that holds the day, whole', counts: false },
    { form: 'to date', words: 'to date', help: 'from its start through the day', counts: true },
    { form: 'trailing', words: 'trailing', help: 'so long, ending today', counts: true },
    { form: 'next full', words: 'next full', help: 'those after this one', counts: true },
    { form: 'rest of this', words: 'rest of this', help: 'from tomorrow to its end', counts: false },
    { form: 'coming', words: 'coming', help: 'so long, starting tomorrow', counts: true },
    { form: 'today', words: 'today', help: 'that day', counts: false },
    { form: 'yesterday', words: 'yesterday', help: 'the day before', counts: false },
  ] as const
  type Form = (typeof forms)[number]['form']
  const units = ['day', 'business day', 'week', 'month', 'quarter', 'half', 'year'] as const
  const selections = ['', 'business days', 'Mon/Tue/Wed/Thu/Fri', 'Sat/Sun'] as const
  const moves = ['', '1 year earlier', '52 weeks earlier', '1 quarter earlier', '1 month earlier'] as const

  let form = $state<Form>('last full')
  let count = $state(1)
  let unit = $state<(typeof units)[number]>('month')
  let edge = $state(false)
  let only = $state<(typeof selections)[number]>('')
  let move = $state<(typeof moves)[number]>('')
  let written = $state('')

  const plural = (n: number, u: string) => (n === 1 ? u : u === 'half' ? 'halves' : u + 's')
  const takesEdge = $derived(form === 'to date' || form === 'trailing' || form === 'coming')
  const counts = $derived(forms.find((f) => f.form === form)?.counts ?? false)
  const isDay = $derived(form === 'today' || form === 'yesterday')

  function core(): string {
    const n = Math.max(1, Math.floor(count || 1))
    switch (form) {
      case 'last full':
      case 'next full': {
        const [side] = form.split(' ')
        return n === 1 ? `${form} ${unit}` : `${side} ${n} full ${plural(n, unit)}`
      }
      case 'to date':
        return n === 1 ? `${unit} to date` : `${n} ${plural(n, unit)} to date`
      case 'trailing':
      case 'coming':
        return `${form} ${n} ${plural(n, unit)}`
      case 'this':
      case 'rest of this':
        return `${form} ${unit}`
    }
    return form
  }
  function write() {
    const cut = takesEdge && edge ? (form === 'coming' ? ' including today' : ' excluding today') : ''
    written = core() + cut + (move ? `, ${move}` : '') + (only ? `, only ${only}` : '')
    value = written
  }
  // The blocks show what the field holds as long as it is theirs.
  const live = $derived(value === written && written !== '')
  function choose(next: Form) {
    form = next
    if ((next === 'trailing' || next === 'coming') && count === 1) {
      count = 90
      unit = 'day'
    }
    write()
  }
</script>

<fieldset class="grid gap-x-3 gap-y-2 sm:grid-cols-[5.5rem_1fr] sm:items-baseline" data-blocks>
  <legend class="sr-only">Building blocks</legend>
  <span class="text-quiet">Which</span>
  <div class="flex flex-wrap gap-1.5">
    {#each forms as f (f.form)}
      <button
        type="button"
        class={['chip', live && form === f.form && 'chip-on']}
        aria-pressed={live && form === f.form}
        title={f.help}
        onclick={() => choose(f.form)}>{f.words}</button
      >
    {/each}
  </div>
  {#if !isDay}
    <span class="text-quiet">Unit</span>
    <div class="flex flex-wrap items-center gap-1.5">
      {#if counts}<input
          class="field w-16!"
          type="number"
          min="1"
          max="9999"
          aria-label="How many"
          bind:value={count}
          oninput={write}
        />{/if}
      {#each units as u (u)}
        <button
          type="button"
          class={['chip', live && unit === u && 'chip-on']}
          aria-pressed={live && unit === u}
          onclick={() => ((unit = u), write())}>{counts ? plural(count, u) : u}</button
        >
      {/each}
    </div>
  {/if}
  {#if takesEdge}
    <span class="text-quiet">Today</span>
    <div class="flex flex-wrap gap-1.5">
      <button
        type="button"
        class={['chip', live && edge && 'chip-on']}
        aria-pressed={live && edge}
        onclick={() => ((edge = !edge), write())}>{form === 'coming' ? 'including today' : 'excluding today'}</button
      >
    </div>
  {/if}
  <span class="text-quiet">Moved</span>
  <div class="flex flex-wrap gap-1.5">
    {#each moves as m (m)}
      <button
        type="button"
        class={['chip', live && move === m && 'chip-on']}
        aria-pressed={live && move === m}
        onclick={() => ((move = m), write())}>{m || 'not'}</button
      >
    {/each}
  </div>
  <span class="text-quiet">Only</span>
  <div class="flex flex-wrap gap-1.5">
    {#each selections as s (s)}
      <button
        type="button"
        class={['chip', live && only === s && 'chip-on']}
        aria-pressed={live && only === s}
        onclick={() => ((only = s), write())}
        >{s === '' ? 'all days' : s === 'Mon/Tue/Wed/Thu/Fri' ? 'Mon to Fri' : s}</button
      >
    {/each}
  </div>
</fieldset>
