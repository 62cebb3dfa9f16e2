<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query'
  import Plus from '@lucide/svelte/icons/plus'
  import Trash from '@lucide/svelte/icons/trash-2'
  import { api, data, ifMatch, succeed, type Schemas } from '../../api/client'
  import { useAsOf } from '../../api/queries'
  import { param, setParam } from '../../lib/address.svelte'
  import { isDay, long, parts, range, toNumber } from '../../lib/days'
  import { countDays } from '../../lib/numbers'
  import { ask } from '../../ui/ask.svelte'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'
  import { may, useSession } from '../access/session'
  import { allOccurrences, between, clash, occurrencesOf, useEventLists, written, type EventList } from './events'
  import EventLegend from './EventLegend.svelte'
  import ReadEvents from './ReadEvents.svelte'
  import YearLine from './YearLine.svelte'

  const client = useQueryClient()
  const lists = useEventLists()
  const asOf = useAsOf()
  const session = useSession()
  const mayChange = $derived(may(session.data, 'analyst'))

  const name = $derived(param('event') ?? lists.data?.[0]?.definition.name ?? null)
  const stored = $derived(lists.data?.find((l) => l.definition.name === name))
  let draft = $state<EventList | null>(null)
  let error = $state<Error | null>(null)
  let shown = ''

  // What is shown is what is stored, until something of it is changed.
  $effect(() => {
    const key = `${name}/${stored?.version ?? 0}`
    if (key === shown) return
    shown = key
    error = null
    draft = stored ? structuredClone($state.snapshot(stored.definition) as EventList) : null
  })
  const isNew = $derived(draft !== null && stored === undefined)
  const changed = $derived(
    draft !== null && (isNew || JSON.stringify(draft) !== JSON.stringify($state.snapshot(stored?.definition))),
  )
  const own = $derived(draft ? occurrencesOf(draft, 0) : [])
  const others = $derived(allOccurrences(lists.data).filter((o) => o.list !== name))
  const thisYear = $derived(asOf.day === null ? null : parts(asOf.day).year)
  const years = $derived.by(() => {
    const of = own.flatMap((o) => [parts(o.first).year, parts(o.last).year])
    const all = [...of, ...(draft?.covers ?? []), ...(thisYear === null ? [] : [thisYear, thisYear + 1])]
    const [first, last] = [Math.min(...all), Math.max(...all)]
    return all.length === 0 ? [] : Array.from({ length: Math.min(last - first + 1, 40) }, (_, i) => last - i)
  })

  let first = $state('')
  let last = $state('')
  let label = $state('')
  let newName = $state('')
  let naming = $state<string | null>(null)
  const wrong = $derived.by(() => {
    if (!draft || first === '') return null
    const end = last || first
    if (!isDay(first) || !isDay(end)) return 'expected days such as 2026-07-10'
    if (toNumber(end) < toNumber(first)) return `${long(first)} comes after ${long(end)}`
    return clash(draft, first, end)
  })

  function begin() {
    const text = newName.trim().toLowerCase()
    if (text === '') return
    newName = ''
    setParam('event', text)
    shown = `${text}/0`
    draft = { name: text, days: [] }
  }
  function add(from: string, through: string, text = '') {
    if (!draft) return
    const found = clash(draft, from, through)
    if (found) {
      first = from
      last = through
      return
    }
    draft = {
      ...draft,
      days: [...draft.days, written(from, through)].sort(),
      ...(text ? { labels: { ...draft.labels, [from]: text } } : {}),
    }
    first = last = label = ''
  }
  function without(from: string) {
    if (!draft) return
    const labels = Object.fromEntries(Object.entries(draft.labels ?? {}).filter(([day]) => day !== from))
    draft = { ...draft, days: draft.days.filter((d) => d !== from && !d.startsWith(from + '/')), labels }
    if (Object.keys(labels).length === 0) delete draft.labels
  }
  function relabel(from: string, text: string) {
    if (!draft) return
    const labels = { ...draft.labels, [from]: text }
    if (text === '') delete labels[from]
    draft = { ...draft, labels }
    if (Object.keys(labels).length === 0) delete draft.labels
  }
  function cover(at: 0 | 1, year: number) {
    if (!draft || !(year >= 1 && year <= 9999)) return
    const covers = [draft.covers?.[0] ?? years.at(-1) ?? year, draft.covers?.[1] ?? years[0] ?? year]
    covers[at] = year
    draft = { ...draft, covers }
  }
  async function attempt(work: () => Promise<void>) {
    error = null
    try {
      await work()
      shown = ''
      await client.invalidateQueries()
    } catch (e) {
      error = e as Error
    }
  }
  const save = () =>
    attempt(async () => {
      const body = $state.snapshot(draft) as EventList
      const reply = stored
        ? await api.PUT('/events/{name}', {
            params: { path: { name: body.name }, header: ifMatch(stored.version) },
            body,
          })
        : await api.POST('/events', { body })
      setParam('event', data(reply).definition.name)
    })
  const rename = () =>
    attempt(async () => {
      const path = { name: stored!.definition.name }
      const reply = await api.POST('/events/{name}/rename', {
        params: { path, header: ifMatch(stored!.version) },
        body: { name: (naming ?? '').trim().toLowerCase() },
      })
      naming = null
      setParam('event', data(reply).name)
    })
  async function remove() {
    const path = { name: stored!.definition.name }
    const sure = await ask({
      title: `Remove the event list ${path.name}?`,
      text: `Its ${stored!.definition.days.length} occurrences are removed. Its versions are kept.`,
      action: 'Remove the list',
    })
    if (!sure) return
    await attempt(async () => {
      succeed(await api.DELETE('/events/{name}', { params: { path, header: ifMatch(stored!.version) } }))
      setParam('event', null)
    })
  }

  let reading = $state(false)
  function taken(list: Schemas['EventListDefinition']) {
    const have = lists.data?.find((l) => l.definition.name === list.name)
    setParam('event', list.name)
    shown = `${list.name}/${have?.version ?? 0}`
    draft = have ? { ...have.definition, ...list } : list
    reading = false
  }
</script>

<svelte:head><title>Events · Vast Span</title></svelte:head>

<div class="mb-2 flex flex-wrap items-center gap-3">
  <h1 class="text-xl font-semibold tracking-tight">Events</h1>
  <div class="flex flex-wrap gap-1.5" role="group" aria-label="Event list">
    {#each lists.data ?? [] as l (l.definition.name)}
      <button
        class={['chip', l.definition.name === name ? 'chip-on' : 'text-quiet']}
        aria-pressed={l.definition.name === name}
        onclick={() => setParam('event', l.definition.name)}
        >{l.definition.name}<span class="text-2xs text-quiet">{l.definition.days.length}</span></button
      >
    {/each}
    {#if isNew}<span class="chip chip-on">{draft?.name}, new</span>{/if}
  </div>
  {#if mayChange}
    <form
      class="ml-auto flex flex-wrap gap-1.5"
      onsubmit={(e) => {
        e.preventDefault()
        begin()
      }}
    >
      <input
        class="field w-40!"
        placeholder="a new list"
        aria-label="Name of a new event list"
        bind:value={newName}
        maxlength="60"
      />
      <button class="button" disabled={newName.trim() === ''}
        ><Plus class="size-3.5" aria-hidden="true" />New list</button
      >
      <button type="button" class="button" onclick={() => (reading = !reading)}>Import…</button>
    </form>
  {/if}
</div>

{#if reading && thisYear !== null}<ReadEvents year={thisYear} ontake={taken} ondone={() => (reading = false)} />{/if}
{#if lists.isError}
  <ErrorPanel error={lists.error} />
{:else if draft === null}
  {#if lists.data}
    <section class="card p-8 text-center">
      <h2 class="font-semibold">No events are named yet</h2>
      <p class="mx-auto mt-1 max-w-xl text-quiet">
        An event is a named list of dated occurrences: Easter, a festival, school holidays, an outage. Spans can be read
        around one, and a comparison says where one is on one side only.
      </p>
    </section>
  {/if}
{:else}
  {#if draft.about}<p class="mb-2 text-quiet">{draft.about}</p>{/if}
  <section class="card mb-3 space-y-1.5 p-4" aria-label="The occurrences on a line for each year" data-events>
    {#each years as y (y)}
      <YearLine
        year={y}
        own={between(own, `${String(y).padStart(4, '0')}-01-01`, `${String(y).padStart(4, '0')}-12-31`)}
        others={between(others, `${String(y).padStart(4, '0')}-01-01`, `${String(y).padStart(4, '0')}-12-31`)}
        onadd={mayChange ? (from, through) => add(from, through) : null}
        onpick={(o) => document.getElementById('label-' + o.first)?.focus()}
      />
    {/each}
    <div class="pl-14">
      {#if mayChange}<p class="pt-1 text-2xs text-quiet">
          Drag over days to add an occurrence. The thin marks are of other events.
        </p>{/if}
      <EventLegend occurrences={others} />
    </div>
  </section>

  <div class="grid gap-3 lg:grid-cols-[1fr_22rem]">
    <section class="card p-4" aria-label="Occurrences">
      {#if mayChange}
        <form
          class="mb-3 flex flex-wrap items-end gap-2"
          onsubmit={(e) => {
            e.preventDefault()
            if (first && !wrong) add(first, last || first, label.trim())
          }}
        >
          <div>
            <label class="label" for="event-first">First day</label><input
              id="event-first"
              class="field"
              type="date"
              bind:value={first}
            />
          </div>
          <div>
            <label class="label" for="event-last">Last day</label><input
              id="event-last"
              class="field"
              type="date"
              bind:value={last}
            />
          </div>
          <div class="min-w-32 flex-1">
            <label class="label" for="event-label">Label</label><input
              id="event-label"
              class="field"
              bind:value={label}
              maxlength="200"
              autocomplete="off"
            />
          </div>
          <button class="button" disabled={first === '' || wrong !== null}>Add occurrence</button>
          {#if wrong}<p class="w-full text-2xs text-worse" aria-live="polite">{wrong}</p>{/if}
        </form>
      {/if}
      <table class="w-full">
        <thead>
          <tr class="h-7 text-left text-quiet"
            ><th class="font-normal">days</th><th class="px-2 text-right font-normal">how many</th><th
              class="px-2 font-normal">label</th
            ><th><span class="sr-only">remove</span></th></tr
          >
        </thead>
        <tbody>
          {#each [...own].reverse() as o (o.first)}
            <tr class="h-9 border-t border-line/60" data-row={o.first}>
              <th class="text-left font-normal whitespace-nowrap" scope="row"
                >{range({ first_day: o.first, last_day: o.last })}</th
              >
              <td class="px-2 text-right text-quiet">{countDays(toNumber(o.last) - toNumber(o.first) + 1)}</td>
              <td class="px-2"
                ><input
                  id={'label-' + o.first}
                  class="field min-h-7!"
                  aria-label={`Label of ${o.first}`}
                  value={o.label}
                  maxlength="200"
                  disabled={!mayChange}
                  onchange={(e) => relabel(o.first, e.currentTarget.value.trim())}
                /></td
              >
              <td class="w-8 text-right"
                >{#if mayChange}<button
                    class="button px-1.5"
                    aria-label={`Remove ${o.first}`}
                    onclick={() => without(o.first)}><Trash class="size-3.5" /></button
                  >{/if}</td
              >
            </tr>
          {/each}
        </tbody>
      </table>
      {#if own.length === 0}<p class="text-quiet">It has no occurrences yet.</p>{/if}
    </section>
    <section class="card h-fit p-4" aria-label="The list">
      <label class="label" for="event-about">What it is</label>
      <input
        id="event-about"
        class="field"
        value={draft.about ?? ''}
        disabled={!mayChange}
        maxlength="2000"
        onchange={(e) => draft && (draft = { ...draft, about: e.currentTarget.value.trim() })}
      />
      <span class="label mt-3">Complete for the years</span>
      <div class="flex items-center gap-2">
        {#each [0, 1] as const as at (at)}
          <input
            class="field w-22!"
            type="number"
            min="1"
            max="9999"
            aria-label={at === 0
              ? 'The first year that the list is complete for'
              : 'The last year that the list is complete for'}
            value={draft.covers?.[at] ?? (at === 0 ? own[0]?.first.slice(0, 4) : own.at(-1)?.last.slice(0, 4)) ?? ''}
            disabled={!mayChange}
            onchange={(e) => cover(at, e.currentTarget.valueAsNumber)}
          />{#if at === 0}<span class="text-quiet">to</span>{/if}
        {/each}
      </div>
      <label class="mt-3 flex items-start gap-2"
        ><input
          class="mt-0.5"
          type="checkbox"
          checked={draft.compare !== 'no'}
          disabled={!mayChange}
          onchange={(e) => {
            if (!draft) return
            const rest = { ...draft }
            delete rest.compare
            draft = e.currentTarget.checked ? rest : { ...rest, compare: 'no' }
          }}
        /><span>Comparisons say where it is on one side only</span></label
      >
      {#if stored?.users?.length}<p class="mt-3 text-2xs text-quiet">used by {stored.users.join(', ')}</p>{/if}
      {#if error}<div class="mt-3"><ErrorPanel {error} /></div>{/if}
      {#if mayChange}
        <div class="mt-4 flex flex-wrap items-center gap-2">
          <button
            class="button button-strong"
            disabled={!changed || (own.length === 0 && !draft.covers)}
            onclick={() => void save()}>{stored ? 'Save change' : 'Add list'}</button
          >
          {#if stored}
            {#if naming === null}
              <button class="button" onclick={() => (naming = stored.definition.name)}>Rename…</button>
              <button class="button ml-auto" onclick={() => void remove()}>Remove…</button>
            {:else}
              <input class="field w-36!" aria-label="New name of the list" bind:value={naming} maxlength="60" />
              <button
                class="button"
                disabled={naming.trim() === '' || naming === stored.definition.name}
                onclick={() => void rename()}>Rename</button
              >
              <button class="button" onclick={() => (naming = null)}>Keep the name</button>
            {/if}
          {/if}
        </div>
      {/if}
      {#if stored}<p class="mt-2 text-2xs text-quiet">version {stored.version}, by {stored.author}</p>{/if}
    </section>
  </div>
{/if}
