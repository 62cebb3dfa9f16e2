<script lang="ts">
  import { api, data, type Schemas } from '../../api/client'
  import { range } from '../../lib/days'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'
  import { occurrencesOf, type EventList } from './events'

  // Reads event lists from a file that is dropped or chosen: iCalendar or CSV. Nothing is kept until a list is saved.
  let { year, ontake, ondone }: { year: number; ontake: (list: EventList) => void; ondone: () => void } = $props()

  let name = $state('')
  // svelte-ignore state_referenced_locally -- the fields begin around the as-of day and go their own way
  let firstYear = $state(year - 4)
  // svelte-ignore state_referenced_locally
  let lastYear = $state(year + 1)
  let bySummary = $state(true)
  let file = $state<{ name: string; text: string } | null>(null)
  let over = $state(false)
  let found = $state<Schemas['ReadEvents'] | null>(null)
  let error = $state<Error | null>(null)
  const isCalendar = $derived(file?.text.trimStart().toUpperCase().startsWith('BEGIN:VCALENDAR') ?? false)

  async function take(chosen: File | undefined) {
    if (!chosen) return
    file = { name: chosen.name, text: await chosen.text() }
    await read()
  }
  async function read() {
    if (!file) return
    error = found = null
    try {
      const years = isCalendar ? { first_year: firstYear, last_year: lastYear } : {}
      const own = name.trim().toLowerCase()
      found = data(
        await api.POST('/events/read', {
          body: {
            text: file.text,
            ...years,
            ...(own ? { name: own } : {}),
            ...(isCalendar && !own ? { by_summary: bySummary } : {}),
          },
        }),
      )
    } catch (e) {
      error = e as Error
    }
  }
</script>

<section class="card mb-3 p-4" aria-label="Import events" data-read-events>
  <div class="flex items-baseline gap-2">
    <h2 class="font-semibold">Import</h2>
    <span class="text-quiet">an iCalendar file, or CSV with the columns name, first_day, last_day and label</span>
    <button class="button ml-auto" onclick={ondone}>Close</button>
  </div>
  <label
    class={[
      'mt-3 grid cursor-pointer place-items-center rounded-lg border border-dashed p-6 text-center',
      over ? 'border-asof bg-ahead' : 'border-line',
    ]}
    ondragover={(e) => {
      e.preventDefault()
      over = true
    }}
    ondragleave={() => (over = false)}
    ondrop={(e) => {
      e.preventDefault()
      over = false
      void take(e.dataTransfer?.files[0])
    }}
  >
    <span>{file ? file.name : 'Drop a file here, or choose one'}</span>
    <input
      class="sr-only"
      type="file"
      accept=".ics,.csv,text/calendar,text/csv"
      onchange={(e) => void take(e.currentTarget.files?.[0])}
    />
  </label>
  {#if file}
    <div class="mt-3 flex flex-wrap items-center gap-2">
      <input
        class="field w-44!"
        placeholder="one list of this name"
        aria-label="Name of the list"
        bind:value={name}
        onchange={() => void read()}
        maxlength="60"
      />
      {#if isCalendar}
        <label class="flex items-center gap-1.5"
          ><input
            type="checkbox"
            bind:checked={bySummary}
            disabled={name.trim() !== ''}
            onchange={() => void read()}
          />one list for each summary</label
        >
        <span class="text-quiet">years</span>
        <input
          class="field w-22!"
          type="number"
          min="1"
          max="9999"
          aria-label="The first year"
          bind:value={firstYear}
          onchange={() => void read()}
        />
        <span class="text-quiet">to</span>
        <input
          class="field w-22!"
          type="number"
          min="1"
          max="9999"
          aria-label="The last year"
          bind:value={lastYear}
          onchange={() => void read()}
        />
      {/if}
    </div>
  {/if}
  {#if error}<div class="mt-3"><ErrorPanel {error} /></div>{/if}
  {#if found}
    <ul class="mt-3 space-y-1">
      {#each found.lists as l (l.name)}
        {@const list = occurrencesOf(l, 0)}
        <li class="flex flex-wrap items-baseline gap-2">
          <b class="font-semibold">{l.name}</b>
          <span class="text-quiet"
            >{list.length}
            {list.length === 1 ? 'occurrence' : 'occurrences'}, {range({
              first_day: list[0]!.first,
              last_day: list.at(-1)!.last,
            })}</span
          >
          <button class="button" onclick={() => ontake(l)}>Look at it</button>
        </li>
      {/each}
    </ul>
    {#if found.left_out}<p class="mt-2 text-2xs text-quiet">left out: {found.left_out}</p>{/if}
  {/if}
</section>
