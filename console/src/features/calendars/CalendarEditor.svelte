<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query'
  import { api, data, ifMatch, succeed, type Schemas } from '../../api/client'
  import { ask } from '../../ui/ask.svelte'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'
  import { monthNames, shortDays, tidy, useHolidayLists, weekdayNames, type CalendarSpec } from './calendars'

  // A calendar's definition in plain fields; the page lays the year out below while they change.
  let {
    calendar,
    onchange,
    ondone,
  }: {
    calendar: Schemas['Calendar'] | null // null is a new one
    onchange: (spec: CalendarSpec) => void
    ondone: (name: string | null) => void
  } = $props()

  const client = useQueryClient()
  const lists = useHolidayLists()
  const blank: CalendarSpec = { name: '', kind: 'months', year_starts: '04-01', year_label: 'ending' }
  let spec = $state<CalendarSpec>(blank)
  let note = $state('')
  let error = $state<Error | null>(null)
  $effect(() => {
    spec = calendar ? ($state.snapshot(calendar.definition) as CalendarSpec) : { ...blank }
    note = ''
    error = null
  })

  const listed = $derived((spec.year_first_days ?? []).length > 0)
  const month = $derived(Number((spec.year_starts || '01-01').slice(0, 2)))
  const day = $derived(Number((spec.year_starts || '01-01').slice(3)))
  const two = (n: number) => String(n).padStart(2, '0')
  const working = $derived((spec.working_week || 'Mon/Tue/Wed/Thu/Fri').split('/'))

  // What one kind says, the other does not.
  function kindOf(kind: CalendarSpec['kind']) {
    const { name, working_week, holidays, about } = spec
    const common = {
      name,
      ...(working_week ? { working_week } : {}),
      ...(holidays ? { holidays } : {}),
      ...(about ? { about } : {}),
    }
    spec =
      kind === 'months'
        ? { ...common, kind, year_starts: '04-01', year_label: 'ending' }
        : {
            ...common,
            kind,
            pattern: '4-4-5',
            year_ends: { rule: 'last', day: 'saturday', month: 'january' },
            year_label: 'starting',
          }
  }
  function toggle(d: (typeof shortDays)[number]) {
    const next = shortDays.filter((x) => (x === d ? !working.includes(x) : working.includes(x)))
    if (next.length > 0) spec.working_week = next.join('/')
  }
  const complete = $derived(tidy({ ...spec, name: spec.name || 'new' }))
  $effect(() => onchange(complete))

  async function attempt(work: () => Promise<string | null>) {
    error = null
    try {
      const name = await work()
      await client.invalidateQueries()
      ondone(name)
    } catch (e) {
      error = e as Error
    }
  }
  const save = () =>
    attempt(async () => {
      const body = tidy({ ...spec, name: spec.name.trim().toLowerCase() })
      const query = note ? { note } : {}
      const reply =
        calendar && calendar.version > 0
          ? await api.PUT('/calendars/{name}', {
              params: { path: { name: calendar.definition.name }, query, header: ifMatch(calendar.version) },
              body,
            })
          : await api.POST('/calendars', { params: { query }, body })
      return data(reply).definition.name
    })
  async function remove() {
    const c = calendar!
    const sure = await ask({
      title: `Remove calendar ${c.definition.name}?`,
      text: 'Spans and briefs can no longer use it.',
      action: 'Remove the calendar',
    })
    if (!sure) return
    await attempt(async () => {
      const path = { name: c.definition.name }
      succeed(await api.DELETE('/calendars/{name}', { params: { path, header: ifMatch(c.version) } }))
      return null
    })
  }
</script>

<form
  class="card mb-3 p-4"
  aria-label={calendar ? 'Change the calendar' : 'New calendar'}
  data-calendar-editor
  onsubmit={(e) => {
    e.preventDefault()
    void save()
  }}
>
  <div class="grid gap-x-4 gap-y-2.5 sm:grid-cols-[10rem_1fr] sm:items-center">
    {#if !calendar}
      <label class="text-quiet" for="calendar-name">Name</label>
      <!-- svelte-ignore a11y_autofocus -->
      <input
        id="calendar-name"
        class="field w-64!"
        bind:value={spec.name}
        autofocus
        placeholder="fiscal-july"
        spellcheck="false"
        autocomplete="off"
        maxlength="60"
      />
    {/if}
    <span class="text-quiet">Years are of</span>
    <div class="flex gap-1.5">
      {#each [['months', 'months'], ['weeks', 'whole weeks']] as const as [kind, words] (kind)}
        <button
          type="button"
          class={['chip', spec.kind === kind && 'chip-on']}
          aria-pressed={spec.kind === kind}
          onclick={() => spec.kind !== kind && kindOf(kind)}>{words}</button
        >
      {/each}
    </div>
    {#if spec.kind === 'months'}
      <span class="text-quiet">Start on</span>
      <div class="flex flex-wrap items-center gap-2">
        <input
          class="field w-18!"
          type="number"
          min="1"
          max="28"
          aria-label="Day on which the year starts"
          value={day}
          oninput={(e) =>
            (spec.year_starts = `${two(month)}-${two(Math.min(28, Math.max(1, e.currentTarget.valueAsNumber || 1)))}`)}
        />
        <select
          class="field w-36!"
          aria-label="Month in which the year starts"
          value={month}
          onchange={(e) => (spec.year_starts = `${two(Number(e.currentTarget.value))}-${two(day)}`)}
        >
          {#each monthNames as m, i (m)}<option value={i + 1}>{m}</option>{/each}
        </select>
      </div>
      <span class="text-quiet">Weeks start on</span>
      <select
        class="field w-36!"
        aria-label="Weekday on which weeks start"
        value={spec.week_starts || 'monday'}
        onchange={(e) => (spec.week_starts = e.currentTarget.value === 'monday' ? '' : e.currentTarget.value)}
      >
        {#each weekdayNames as w (w)}<option>{w}</option>{/each}
      </select>
    {:else}
      <span class="text-quiet">Weeks of a quarter</span>
      <select class="field w-36!" aria-label="How the weeks of a quarter are divided" bind:value={spec.pattern}>
        {#each ['4-4-5', '4-5-4', '5-4-4', '13x4'] as p (p)}<option>{p}</option>{/each}
      </select>
      <span class="text-quiet">Years end</span>
      {#if listed}
        <div>
          <textarea
            class="field h-20 w-72! font-mono"
            aria-label="The first day of every year, one a line"
            value={(spec.year_first_days ?? []).join('\n')}
            oninput={(e) => (spec.year_first_days = e.currentTarget.value.split(/\s+/).filter((t) => t !== ''))}
          ></textarea>
          <p class="text-2xs text-quiet">The first day of every year, and of the one after the last.</p>
        </div>
      {:else if spec.year_ends}
        <div class="flex flex-wrap items-center gap-2">
          on the
          <select class="field w-28!" aria-label="Rule" bind:value={spec.year_ends.rule}>
            <option>last</option><option>nearest</option>
          </select>
          <select class="field w-32!" aria-label="Weekday on which the year ends" bind:value={spec.year_ends.day}>
            {#each weekdayNames as w (w)}<option>{w}</option>{/each}
          </select>
          {spec.year_ends.rule === 'last' ? 'of' : 'to the end of'}
          <select class="field w-36!" aria-label="Month near whose end the year ends" bind:value={spec.year_ends.month}>
            {#each monthNames as m (m)}<option>{m}</option>{/each}
          </select>
        </div>
      {/if}
      <span class="text-quiet">A 53rd week goes to</span>
      <div class="flex items-center gap-2">
        period <input
          class="field w-18!"
          type="number"
          min="0"
          max="13"
          aria-label="Period that takes a 53rd week"
          value={spec.extra_week ?? 0}
          oninput={(e) => (spec.extra_week = e.currentTarget.valueAsNumber || 0)}
        /><span class="text-quiet">0 is the last</span>
      </div>
    {/if}
    <span class="text-quiet">Named by where it</span>
    <div class="flex gap-1.5">
      {#each [['starting', 'starts'], ['ending', 'ends']] as const as [label, words] (label)}
        <button
          type="button"
          class={['chip', spec.year_label === label && 'chip-on']}
          aria-pressed={spec.year_label === label}
          onclick={() => (spec.year_label = label)}>{words}</button
        >
      {/each}
    </div>
    <span class="text-quiet">Business days</span>
    <div class="flex flex-wrap gap-1.5">
      {#each shortDays as d (d)}
        <button
          type="button"
          class={['chip', working.includes(d) && 'chip-on']}
          aria-pressed={working.includes(d)}
          onclick={() => toggle(d)}>{d}</button
        >
      {/each}
      <select class="field w-44!" aria-label="Holiday list" bind:value={spec.holidays}>
        <option value={undefined}>no holidays</option>
        {#each lists.data ?? [] as l (l.definition.name)}<option value={l.definition.name}>{l.definition.name}</option
          >{/each}
      </select>
    </div>
    <label class="text-quiet" for="calendar-about">What it is for</label>
    <input id="calendar-about" class="field" bind:value={spec.about} autocomplete="off" maxlength="2000" />
    {#if calendar}
      <label class="text-quiet" for="calendar-note">Why it is changed</label>
      <input
        id="calendar-note"
        class="field"
        bind:value={note}
        autocomplete="off"
        placeholder="kept with the version"
      />
    {/if}
  </div>
  {#if error}<div class="mt-3"><ErrorPanel {error} /></div>{/if}
  <div class="mt-3 flex flex-wrap items-center gap-2">
    <button class="button button-strong" disabled={spec.name.trim() === ''}
      >{calendar ? 'Save change' : 'Add calendar'}</button
    >
    <button type="button" class="button" onclick={() => ondone(calendar?.definition.name ?? null)}>Cancel</button>
    {#if calendar && calendar.version > 0}
      <button type="button" class="button ml-auto" onclick={() => void remove()}>Remove…</button>
    {/if}
  </div>
</form>
