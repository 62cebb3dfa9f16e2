<script lang="ts">
  import { months } from '../../lib/days'
  import { useEventLists } from '../events/events'
  import DatePair from './DatePair.svelte'

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
    { form: 'weekday', words: 'weekday', help: 'one day of the week inside a unit', counts: false },
    { form: 'event', words: 'event', help: 'an event, such as Easter, and the days around it', counts: false },
  ] as const
  type Form = (typeof forms)[number]['form']
  const units = ['day', 'business day', 'week', 'month', 'quarter', 'half', 'year'] as const
  const selections = ['', 'business days', 'Mon/Tue/Wed/Thu/Fri', 'Sat/Sun', 'months', 'recurring'] as const
  const moves = ['', '1 year earlier', '52 weeks earlier', '1 quarter earlier', '1 month earlier'] as const

  let form = $state<Form>('last full')
  let count = $state(1)
  let unit = $state<(typeof units)[number]>('month')
  let edge = $state(false)
  let only = $state<(typeof selections)[number]>('')
  let move = $state<(typeof moves)[number]>('')
  let written = $state('')

  // A weekday inside a unit, and an event with the days around it.
  const weekdays = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'] as const
  const places = ['first', '2', '3', '4', 'last'] as const
  const insides = ['this month', 'last full month', 'this quarter', 'this year'] as const
  let weekday = $state<(typeof weekdays)[number]>('Mon')
  let place = $state<(typeof places)[number]>('first')
  let inside = $state<(typeof insides)[number]>('this month')
  const lists = useEventLists()
  const eventNames = $derived((lists.data ?? []).map((l) => l.definition.name))
  const occasions = ['of this year', 'of last full year', 'last', 'next'] as const
  let event = $state('')
  let occasion = $state<(typeof occasions)[number]>('of this year')
  let before = $state(0)
  let after = $state(0)

  // What is kept: some months, or a part that recurs.
  let kept = $state<number[]>([])
  const recurrences = ['first', 'last', 'number'] as const
  let recurs = $state<(typeof recurrences)[number]>('first')
  let parts = $state(1)
  const pieces = ['day', 'business day', 'week', ...weekdays] as const
  let piece = $state<(typeof pieces)[number]>('business day')
  const eaches = ['week', 'month', 'quarter', 'year'] as const
  let each = $state<(typeof eaches)[number]>('month')

  let dates = $state(false)
  const quick = [
    'last full month',
    'month to date excluding today',
    'year to date',
    'trailing 30 days excluding today',
    'trailing 90 days excluding today',
    'last full quarter',
    'last full year',
  ]

  const plural = (n: number, u: string) => (n === 1 ? u : u === 'half' ? 'halves' : u + 's')
  const takesEdge = $derived(form === 'to date' || form === 'trailing' || form === 'coming')
  const counts = $derived(forms.find((f) => f.form === form)?.counts ?? false)
  const isDay = $derived(['today', 'yesterday', 'weekday', 'event'].includes(form))

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
      case 'weekday':
        return /^\d/.test(place) ? `${weekday} ${place} of ${inside}` : `${place} ${weekday} of ${inside}`
      case 'event': {
        const name = event || eventNames[0] || 'easter'
        const occurrence = occasion.startsWith('of') ? `event ${name} ${occasion}` : `${occasion} event ${name}`
        if (!before && !after) return occurrence
        const step = (n: number, sign: string) => (n > 0 ? ` ${sign} ${n} ${plural(n, 'day')}` : '')
        return `from start of ${occurrence}${step(before, '-')} through end of ${occurrence}${step(after, '+')}`
      }
      case 'this':
      case 'rest of this':
        return `${form} ${unit}`
    }
    return form
  }
  function onlyText(): string {
    if (only === 'months') {
      const list = kept.length > 0 ? kept : [1]
      return [...list]
        .sort((a, b) => a - b)
        .map((m) => months[m - 1])
        .join('/')
    }
    if (only !== 'recurring') return only
    const n = Math.max(1, Math.floor(parts || 1))
    const counted = weekdays.some((w) => w === piece) ? piece : plural(n, piece)
    const part = recurs === 'number' ? `${piece} ${n}` : `${recurs} ${n > 1 ? `${n} ` : ''}${counted}`
    return `${part} of each ${each}`
  }
  function write() {
    const cut = takesEdge && edge ? (form === 'coming' ? ' including today' : ' excluding today') : ''
    written = core() + cut + (move ? `, ${move}` : '') + (only ? `, only ${onlyText()}` : '')
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
  <span class="text-quiet">Quick picks</span>
  <div>
    <div class="flex flex-wrap gap-1.5">
      {#each quick as q (q)}
        <button
          type="button"
          class={['chip', value === q && 'chip-on']}
          aria-pressed={value === q}
          onclick={() => (value = q)}>{q}</button
        >
      {/each}
      <button type="button" class={['chip', dates && 'chip-on']} aria-pressed={dates} onclick={() => (dates = !dates)}
        >two dates</button
      >
    </div>
    {#if dates}<div class="mt-2 max-w-md">
        <DatePair id="blocks-dates" {value} onuse={(text) => (value = text)} />
      </div>{/if}
  </div>
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
  {#snippet choice<T extends string>(list: readonly T[], now: T, take: (v: T) => void)}
    {#each list as v (v)}
      <button
        type="button"
        class={['chip', live && now === v && 'chip-on']}
        aria-pressed={live && now === v}
        onclick={() => (take(v), write())}>{v}</button
      >
    {/each}
  {/snippet}
  {#if form === 'weekday'}
    <span class="text-quiet">Weekday</span>
    <div class="flex flex-wrap items-center gap-1.5">
      {@render choice(places, place, (v) => (place = v))}
      <span class="w-2"></span>
      {@render choice(weekdays, weekday, (v) => (weekday = v))}
      <span class="text-quiet">of</span>
      {@render choice(insides, inside, (v) => (inside = v))}
    </div>
  {:else if form === 'event'}
    <span class="text-quiet">Event</span>
    <div class="flex flex-wrap items-center gap-1.5">
      {@render choice(eventNames, event || (eventNames[0] ?? ''), (v) => (event = v))}
      {#if eventNames.length === 0}<span class="text-quiet">none is named yet: add one on the page Events</span>{/if}
      <span class="w-2"></span>
      {@render choice(occasions, occasion, (v) => (occasion = v))}
      <label class="ml-2 flex items-center gap-1.5 text-quiet"
        ><input class="field w-16!" type="number" min="0" max="999" bind:value={before} oninput={write} />days before</label
      >
      <label class="flex items-center gap-1.5 text-quiet"
        ><input class="field w-16!" type="number" min="0" max="999" bind:value={after} oninput={write} />days after</label
      >
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
  {#if only === 'months'}
    <span class="text-quiet">Months</span>
    <div class="flex flex-wrap gap-1.5">
      {#each months as m, i (m)}
        <button
          type="button"
          class={['chip', live && kept.includes(i + 1) && 'chip-on']}
          aria-pressed={live && kept.includes(i + 1)}
          onclick={() => ((kept = kept.includes(i + 1) ? kept.filter((k) => k !== i + 1) : [...kept, i + 1]), write())}
          >{m}</button
        >
      {/each}
    </div>
  {:else if only === 'recurring'}
    <span class="text-quiet">Recurring</span>
    <div class="flex flex-wrap items-center gap-1.5">
      {@render choice(recurrences, recurs, (v) => (recurs = v))}
      <input
        class="field w-16!"
        type="number"
        min="1"
        max="366"
        aria-label="How many, or which"
        bind:value={parts}
        oninput={write}
      />
      {@render choice(pieces, piece, (v) => (piece = v))}
      <span class="text-quiet">of each</span>
      {@render choice(eaches, each, (v) => (each = v))}
    </div>
  {/if}
</fieldset>
