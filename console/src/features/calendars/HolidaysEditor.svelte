<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query'
  import { api, data, ifMatch, succeed } from '../../api/client'
  import { isDay } from '../../lib/days'
  import { ask } from '../../ui/ask.svelte'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'
  import { useHolidayLists, type HolidayList } from './calendars'

  // A list of holidays: its days are clicked in the year below, or pasted. The page lays the year out with them.
  let {
    name = $bindable(),
    list = $bindable(),
    ondone,
  }: { name: string | null; list: HolidayList | null; ondone: () => void } = $props()

  const client = useQueryClient()
  const lists = useHolidayLists()
  const stored = $derived(lists.data?.find((l) => l.definition.name === name))
  let typed = $state('')
  let error = $state<Error | null>(null)
  let shown = ''

  // The list that is chosen is taken in as it is; one that others change meanwhile is not lost: saving it is then refused.
  $effect(() => {
    const key = `${name}/${stored?.version ?? 0}`
    if (key === shown) return
    shown = key
    error = null
    list = stored
      ? { ...stored.definition, days: [...stored.definition.days] }
      : name === null
        ? null
        : { name, days: [], covers: undefined as unknown as number[] }
  })
  const first = $derived(list?.covers?.[0] ?? (list?.days[0] ? Number(list.days[0].slice(0, 4)) : ''))
  const last = $derived(list?.covers?.[1] ?? (list?.days.at(-1) ? Number(list.days.at(-1)!.slice(0, 4)) : ''))
  function cover(at: 0 | 1, year: number) {
    if (!list || !(year >= 1 && year <= 9999)) return
    const covers = [Number(first) || year, Number(last) || year]
    covers[at] = year
    list = { ...list, covers }
  }
  function paste() {
    if (!list) return
    const found = typed.match(/\d{4}-\d{2}-\d{2}/g) ?? []
    list = { ...list, days: [...new Set([...list.days, ...found.filter(isDay)])].sort() }
    typed = ''
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
      if (!list) return
      const body = { name: list.name, days: list.days, ...(list.covers ? { covers: list.covers } : {}) }
      const reply = stored
        ? await api.PUT('/holidays/{name}', {
            params: { path: { name: stored.definition.name }, header: ifMatch(stored.version) },
            body,
          })
        : await api.POST('/holidays', { body })
      name = data(reply).definition.name
    })
  async function remove() {
    const path = { name: stored!.definition.name }
    const sure = await ask({
      title: `Remove the holidays ${path.name}?`,
      text: `${stored!.definition.days.length} days are removed. Calendars can no longer use the list.`,
      action: 'Remove the list',
    })
    if (!sure) return
    await attempt(async () => {
      succeed(await api.DELETE('/holidays/{name}', { params: { path, header: ifMatch(stored!.version) } }))
      name = lists.data?.find((l) => l.definition.name !== path.name)?.definition.name ?? null
    })
  }
  const changed = $derived(
    list !== null &&
      (stored === undefined ||
        list.days.join() !== stored.definition.days.join() ||
        (list.covers ?? []).join() !== (stored.definition.covers ?? []).join()),
  )
  let newName = $state('')
</script>

<section class="card mb-3 p-4" aria-label="Holidays" data-holidays-editor>
  <div class="flex flex-wrap items-center gap-1.5">
    <h2 class="mr-2 font-semibold">Holidays</h2>
    {#each lists.data ?? [] as l (l.definition.name)}
      <button
        class={['chip', l.definition.name === name && 'chip-on']}
        aria-pressed={l.definition.name === name}
        onclick={() => (name = l.definition.name)}
        >{l.definition.name}<span class="text-2xs text-quiet">{l.definition.days.length}</span></button
      >
    {/each}
    {#if name !== null && !stored}<span class="chip chip-on">{name}, new</span>{/if}
    <input
      class="field w-40!"
      placeholder="a new list"
      aria-label="Name of a new list"
      bind:value={newName}
      maxlength="60"
      onkeydown={(e) => e.key === 'Enter' && newName && ((name = newName.trim().toLowerCase()), (newName = ''))}
    />
    <button
      class="button"
      disabled={newName === ''}
      onclick={() => ((name = newName.trim().toLowerCase()), (newName = ''))}>Begin it</button
    >
    <button class="button ml-auto" onclick={ondone}>Done</button>
  </div>
  {#if list}
    <p class="mt-2 text-quiet">
      Click a day in the year below to make it a holiday, or none. {list.days.length}
      {list.days.length === 1 ? 'day is' : 'days are'} in the list.
    </p>
    <div class="mt-2 flex flex-wrap items-center gap-2">
      <span class="text-quiet">Complete for the years</span>
      <input
        class="field w-22!"
        type="number"
        min="1"
        max="9999"
        aria-label="The first year that the list is complete for"
        value={first}
        onchange={(e) => cover(0, e.currentTarget.valueAsNumber)}
      />
      <span class="text-quiet">to</span>
      <input
        class="field w-22!"
        type="number"
        min="1"
        max="9999"
        aria-label="The last year that the list is complete for"
        value={last}
        onchange={(e) => cover(1, e.currentTarget.valueAsNumber)}
      />
      <input
        class="field w-72!"
        placeholder="paste dates: 2027-05-01 2027-12-25"
        aria-label="Dates to add"
        bind:value={typed}
      />
      <button class="button" disabled={typed === ''} onclick={paste}>Add them</button>
    </div>
    {#if error}<div class="mt-2"><ErrorPanel {error} /></div>{/if}
    <div class="mt-3 flex flex-wrap items-center gap-2">
      <button class="button button-strong" disabled={!changed || list.days.length === 0} onclick={() => void save()}
        >{stored ? 'Save change' : 'Add list'}</button
      >
      {#if stored}
        <button class="button ml-auto" onclick={() => void remove()}>Remove…</button>
      {/if}
    </div>
  {/if}
</section>
