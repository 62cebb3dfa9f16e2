<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query'
  import { api, data, ifMatch, succeed, type Dataset } from '../../api/client'
  import { carried } from '../../lib/address.svelte'
  import { long } from '../../lib/days'
  import { countRecords } from '../../lib/numbers'
  import { wordsOf } from '../../lib/query'
  import { ask } from '../../ui/ask.svelte'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'
  import KeptIn from '../../ui/KeptIn.svelte'
  import { may, useSession } from '../access/session'
  import Loads from './Loads.svelte'
  import WhoSees from './WhoSees.svelte'

  // A dataset: its extent, what its amounts are, its loads, and its removal.
  let { dataset: d }: { dataset: Dataset } = $props()

  const client = useQueryClient()
  const session = useSession()
  let open = $state(false)
  let problem = $state<Error | null>(null)
  let newName = $state<string | null>(null)

  async function change(work: () => Promise<void>) {
    problem = null
    try {
      await work()
      await client.invalidateQueries()
    } catch (e) {
      problem = e as Error
    }
  }
  // Changes go one after the other, each from the description that the one before has made.
  let known = 0
  let before: Promise<unknown> = Promise.resolve()
  const describe = (body: Parameters<typeof send>[0]) => (before = before.then(() => change(() => send(body))))
  async function send(body: {
    grain?: 'day' | 'week' | 'month' | 'quarter' | 'half' | 'year'
    no_records?: 'zero' | 'blank'
    expected?: string
    newest_day?: 'complete' | 'partial'
    columns?: {
      name: string
      type?: 'text' | 'number' | 'date'
      role?: 'amount' | 'category' | 'detail'
      unit?: string
      decimals?: number
      better?: 'higher' | 'lower' | 'neither'
    }[]
  }) {
    const reply = await api.PATCH('/datasets/{name}', {
      params: { path: { name: d.name }, header: ifMatch(Math.max(known, d.described)) },
      body,
    })
    known = data(reply).described
  }
  // What uses the dataset is named before it is removed.
  const remove = () =>
    change(async () => {
      const users = data(await api.GET('/datasets/{name}/users', { params: { path: { name: d.name } } })).items
      const kept = d.attached
        ? 'Its table is not changed.'
        : `Its ${countRecords(d.records)} are removed. For 30 days they can be restored under Removed.`
      const sure = await ask({
        title: `Remove dataset ${d.name}?`,
        text:
          users.length > 0 ? `${kept} It is used by ${users.join(', ')}, which will report that it is missing.` : kept,
        action: 'Remove the dataset',
      })
      if (!sure) return
      succeed(
        await api.DELETE('/datasets/{name}', {
          params: { path: { name: d.name }, header: { 'If-Match': '*' }, query: { anyway: true } },
        }),
      )
    })
  const rename = () =>
    change(async () => {
      const name = (newName ?? '').trim()
      if (name !== '' && name !== d.name)
        succeed(await api.POST('/datasets/{name}/rename', { params: { path: { name: d.name } }, body: { name } }))
      newName = null
    })
  const rolesOf = (type: string) =>
    type === 'number' ? ['amount', 'category', 'detail'] : type === 'text' ? ['category', 'detail'] : ['detail']
  const eachValue = $derived(d.columns.filter((c) => c.role === 'category').map((c) => `each ${c.name} every day`))
  const link = (page: string) => `${page}${carried() ? carried() + '&' : '?'}dataset=${encodeURIComponent(d.name)}`
</script>

<section class="card" data-dataset={d.name}>
  <div class="flex flex-wrap items-center gap-3 px-4 py-2.5">
    <button class="font-semibold hover:text-inside" aria-expanded={open} onclick={() => (open = !open)}>{d.name}</button
    >
    {#if d.trouble}
      <span class="text-worse">not known just now</span>
    {:else}
      <span>{countRecords(d.records)}</span>
    {/if}
    <span class="text-quiet"
      >{#if d.trouble}{:else if d.oldest && d.newest}{long(d.oldest)} to {long(d.newest)}{:else}no days yet{/if}</span
    >
    {#if d.undated > 0}<span class="text-quiet">{d.undated.toLocaleString('en')} without a day</span>{/if}
    <span class="text-quiet">{d.zone}{d.day_starts ? `, days start at ${d.day_starts}` : ''}</span>
    <KeptIn dataset={d} />
    {#if d.min_records}<span class="chip" title="You see totals of at least so many records each, and not its records"
        >totals of {d.min_records} and more</span
      >{/if}
    <span class="ml-auto flex gap-2">
      <a class="button" href={link('/totals')}>Totals</a>
      {#if !d.min_records}<a class="button" href={link('/records')}>Records</a>{/if}
      <button class="button for-analyst" onclick={() => (open = !open)}>{open ? 'Less' : 'More'}</button>
    </span>
  </div>
  {#if d.trouble}<p class="px-4 pb-3 text-worse" role="status">{d.trouble}</p>{/if}
  {#if problem}<div class="px-4 pb-3"><ErrorPanel error={problem} /></div>{/if}
  {#if open}
    <div class="border-t border-line px-4 py-3">
      <div class="flex flex-wrap items-center gap-4">
        <label class="flex items-center gap-2"
          ><span class="text-quiet">A record stands for a</span>
          <select
            class="field w-auto!"
            value={d.grain ?? 'day'}
            onchange={(e) => void describe({ grain: e.currentTarget.value as 'day' })}
          >
            {#each ['day', 'week', 'month', 'quarter', 'half', 'year'] as u (u)}<option>{u}</option>{/each}
          </select></label
        >
        <label class="flex items-center gap-2"
          ><span class="text-quiet">No record means</span>
          <select
            class="field w-auto!"
            value={d.no_records}
            onchange={(e) => void describe({ no_records: e.currentTarget.value as 'zero' })}
          >
            <option value="blank">not known</option><option value="zero">zero</option>
          </select></label
        >
        <label class="flex items-center gap-2"
          ><span class="text-quiet">Records are expected</span>
          <input
            class="field w-52!"
            list={`expected-${d.name}`}
            placeholder="as the records show"
            value={d.expected ?? ''}
            onchange={(e) => void describe({ expected: e.currentTarget.value.trim() || 'automatic' })}
          />
          <datalist id={`expected-${d.name}`}>
            {#each ['every day', 'business days', 'Mon-Sat', 'none', ...eachValue] as form (form)}<option>{form}</option
              >{/each}
          </datalist></label
        >
        <label class="flex items-center gap-2"
          ><span class="text-quiet">Its newest day is</span>
          <select
            class="field w-auto!"
            value={d.newest_day ?? 'complete'}
            onchange={(e) => void describe({ newest_day: e.currentTarget.value as 'partial' })}
          >
            <option>complete</option><option value="partial">still arriving</option>
          </select></label
        >
      </div>
      <table class="mt-3">
        <thead
          ><tr class="h-8 text-left text-quiet"
            ><th class="pr-4 font-normal">column</th><th class="px-3 font-normal">type</th><th class="px-3 font-normal"
              >role</th
            ><th class="px-3 font-normal">unit</th><th class="px-3 font-normal">decimals</th><th
              class="px-3 font-normal">better</th
            ></tr
          ></thead
        >
        <tbody>
          {#each d.columns as c (c.name)}
            <tr class="h-10 border-t border-line/60" data-column-of={c.name}>
              <td class="pr-4">{wordsOf(c.name)}</td>
              {#if c.role === 'day'}
                <td class="px-3 text-quiet">{c.type}</td>
                <td class="px-3 text-quiet" colspan="4">the day</td>
              {:else}
                <td class="px-3"
                  >{#if c.type === 'timestamp' || d.attached}<span class="text-quiet"
                      >{c.type === 'timestamp' ? 'time' : c.type}</span
                    >{:else}<select
                      class="field w-28!"
                      aria-label={`Type of ${c.name}`}
                      value={c.type}
                      onchange={(e) => {
                        const select = e.currentTarget
                        void describe({ columns: [{ name: c.name, type: select.value as 'text' }] }).then(() => {
                          if (problem) select.value = c.type
                        })
                      }}
                    >
                      {#each ['text', 'number', 'date'] as t (t)}<option>{t}</option>{/each}
                    </select>{/if}</td
                >
                <td class="px-3"
                  ><select
                    class="field w-28!"
                    aria-label={`Role of ${c.name}`}
                    value={c.role}
                    onchange={(e) =>
                      void describe({ columns: [{ name: c.name, role: e.currentTarget.value as 'detail' }] })}
                  >
                    {#each rolesOf(c.type) as r (r)}<option>{r}</option>{/each}
                  </select></td
                >
                {#if c.type === 'number'}
                  <td class="px-3"
                    ><input
                      class="field w-24!"
                      aria-label={`Unit of ${c.name}`}
                      value={c.unit ?? ''}
                      onchange={(e) => void describe({ columns: [{ name: c.name, unit: e.currentTarget.value }] })}
                    /></td
                  >
                  <td class="px-3"
                    ><input
                      class="field w-20!"
                      type="number"
                      min="0"
                      max="18"
                      aria-label={`Decimals of ${c.name}`}
                      value={c.decimals ?? 0}
                      onchange={(e) =>
                        void describe({ columns: [{ name: c.name, decimals: e.currentTarget.valueAsNumber }] })}
                    /></td
                  >
                  <td class="px-3"
                    ><select
                      class="field w-28!"
                      aria-label={`Better of ${c.name}`}
                      value={c.better || 'neither'}
                      onchange={(e) =>
                        void describe({ columns: [{ name: c.name, better: e.currentTarget.value as 'higher' }] })}
                    >
                      {#each ['neither', 'higher', 'lower'] as b (b)}<option>{b}</option>{/each}
                    </select></td
                  >
                {:else}<td colspan="3"></td>{/if}
              {/if}
            </tr>
          {/each}
        </tbody>
      </table>
      {#if d.attached}
        <h2 class="mt-4 mb-1 font-semibold">Where its records are</h2>
        <p>
          In table <code>{d.attached.table}</code> of database <b>{d.attached.database}</b>, {d.attached.engine}. They
          are read there and changed there only: nothing is loaded or undone here.
          {#if d.attached.key}<code>{d.attached.key}</code> tells the records apart.{/if}
        </p>
        {#if d.attached.floating && d.attached.floating.length > 0}
          <p class="mt-1 text-quiet">
            The database keeps {d.attached.floating.join(', ')} as floating point numbers: they are added up by their shortest
            digits.
          </p>
        {/if}
      {:else}
        <h2 class="mt-4 mb-1 font-semibold">Loads</h2>
        <Loads dataset={d.name} />
      {/if}
      {#if session.data?.accounts && may(session.data, 'administrator')}<WhoSees dataset={d.name} />{/if}
      <div class="mt-4 flex flex-wrap items-center gap-2">
        {#if newName === null}
          <button class="button" onclick={() => (newName = d.name)}>Rename…</button>
        {:else}
          <input class="field w-56!" aria-label={`New name of ${d.name}`} bind:value={newName} maxlength="60" />
          <button class="button button-strong" onclick={() => void rename()}>Rename</button>
          <button class="button" onclick={() => (newName = null)}>Keep the name</button>
        {/if}
        <button class="button for-administrator ml-auto" onclick={() => void remove()}>Remove the dataset…</button>
      </div>
    </div>
  {/if}
</section>
