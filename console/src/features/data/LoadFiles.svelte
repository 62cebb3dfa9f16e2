<script lang="ts">
  import { onDestroy, untrack } from 'svelte'
  import { createQuery, useQueryClient } from '@tanstack/svelte-query'
  import { api, RefusedError, succeed, type Column, type Dataset, type Schemas } from '../../api/client'
  import { carried } from '../../lib/address.svelte'
  import { long } from '../../lib/days'
  import { countRecords } from '../../lib/numbers'
  import { scrolls } from '../../ui/scrolls'
  import { wordsOf } from '../../lib/query'
  import Select from '../../ui/Select.svelte'
  import Faults from './Faults.svelte'
  import { datasetOf, nothingStated, paramsOf, preview, writtenText, type Fault, type Load, type Use } from './files'
  import { begin, dismiss, uploads, type Uploading } from './uploads.svelte'

  // Files on their way into a dataset: what their columns are taken for, each changeable, what is wrong, and the load.
  let {
    files,
    datasets,
    onclose,
    onbegin,
  }: { files: File[]; datasets: Dataset[]; onclose: () => void; onbegin: (id: number) => void } = $props()

  const client = useQueryClient()
  let name = $state(untrack(() => datasetOf(files[0]?.name ?? '')))
  let stated = $state(nothingStated())
  let uses = $state<Record<string, Use>>({})
  let types = $state<Record<string, Column['type']>>({})
  // What is said about numbers, and about records that are missing, once the dataset is there.
  let said = $state<Record<string, { unit?: string; decimals?: number; better?: 'higher' | 'lower' | 'neither' }>>({})
  let noRecords = $state<'' | 'zero' | 'blank'>('')
  let key = $state<string[]>([])
  let mode = $state('append')
  // Where this page is left while files are being sent, every other one shows them.
  let left = false
  onDestroy(() => (left = true))
  let upload = $state<Uploading | null>(null)
  const sending = $derived(upload?.state === 'sending' ? upload : null)
  const part = $derived(upload?.part ?? 0)
  let problem = $state<Error | null>(null)
  let loaded = $state<Load | null>(null)

  const existing = $derived(datasets.find((d) => d.name === name))
  const params = $derived(
    paramsOf(
      {
        ...stated,
        replace: existing && mode === 'replace' ? 'all' : existing && mode === 'span' ? stated.replace : '',
      },
      uses,
      existing ? {} : types,
      existing && mode === 'key' ? key : [],
    ),
  )
  const look = createQuery(() => ({
    queryKey: ['preview', name, files.map((f) => [f.name, f.size, f.lastModified]), params.toString()],
    queryFn: ({ signal }) => preview(name, files[0]!, params, signal),
    retry: false,
    staleTime: Infinity,
    placeholderData: (before) => before,
  }))
  const faults = $derived<Fault[]>(
    problem instanceof RefusedError && problem.problem.faults ? problem.problem.faults : (look.data?.faults ?? []),
  )

  const options: { field: keyof ReturnType<typeof nothingStated>; label: string; values?: string[]; hint?: string }[] =
    [
      { field: 'date_order', label: 'Order of 03/04/2026', values: ['', 'dmy', 'mdy', 'ymd'] },
      {
        field: 'numbers',
        label: 'Numbers are written',
        values: ['', '1,234.56', '1.234,56', '1234,56', '1 234,56', '1 234.56', "1'234.56"],
      },
      { field: 'grain', label: 'A record stands for a', values: ['', 'day', 'week', 'month', 'quarter', 'year'] },
      { field: 'encoding', label: 'Encoding', values: ['', 'utf-8', 'utf-16', 'windows-1252'] },
      { field: 'delimiter', label: 'Delimiter', values: ['', 'comma', 'semicolon', 'tab', 'bar'] },
      { field: 'ambiguous', label: 'A time shown twice', values: ['', 'earlier', 'later'] },
      { field: 'epoch', label: 'Times that are numbers', values: ['', 'seconds', 'milliseconds', 'spreadsheet-days'] },
      { field: 'century', label: 'Two-digit years from', hint: '1970' },
      { field: 'zone', label: 'Time zone', hint: 'UTC' },
      { field: 'day_starts', label: 'Days start at', hint: '00:00' },
      { field: 'sheet', label: 'Sheet', hint: 'the first' },
      { field: 'header_row', label: 'Header in row', hint: 'the first' },
      { field: 'skip_footer', label: 'Rows left out at the end', hint: '0' },
      { field: 'blank', label: 'Words that mean blank', hint: 'n/a, -' },
      { field: 'trim', label: 'Blanks around texts', values: ['', 'true'] },
    ]
  const usesOf = [
    { value: 'day', label: 'day' },
    { value: 'amount', label: 'amount' },
    { value: 'category', label: 'category' },
    { value: 'detail', label: 'detail' },
    { value: 'omit', label: 'leave out' },
  ]
  const omitted = $derived(Object.entries(uses).flatMap(([column, use]) => (use === 'omit' ? [column] : [])))

  const readAs = $derived.by(() => {
    if (!look.data) return ''
    const grain = look.data.grain ? `; a record stands for a ${look.data.grain}` : ''
    return `${writtenText(look.data.written)}; from the first ${look.data.sampled.toLocaleString('en')} rows${grain}`
  })

  function use(column: string, chosen: Use) {
    problem = null
    // One column alone holds the day.
    if (chosen === 'day') for (const [c, u] of Object.entries(uses)) if (u === 'day') delete uses[c]
    uses[column] = chosen
  }

  function suggested(option: string, value: string) {
    problem = null
    if (option in stated) stated[option as keyof typeof stated] = value
  }

  async function start() {
    problem = null
    const begun = begin(name, files, params)
    onbegin(begun.id)
    upload = uploads.list.find((u) => u.id === begun.id) ?? begun
    try {
      const made = await begun.done
      const columns = Object.entries(said)
        .filter(([column]) => look.data?.columns.some((c) => c.name === column && c.type === 'number'))
        .map(([column, says]) => ({ name: column, ...says }))
      if (!existing && (columns.length > 0 || noRecords !== ''))
        succeed(
          await api.PATCH('/datasets/{name}', {
            params: { path: { name }, header: { 'If-Match': '*' } },
            body: { columns, ...(noRecords ? { no_records: noRecords } : {}) },
          }),
        )
      loaded = made
      await client.invalidateQueries()
      if (!left) dismiss(begun.id)
    } catch (e) {
      problem = e as Error
      if (!left) dismiss(begun.id)
    } finally {
      upload = null
    }
  }

  const first = $derived((look.data?.columns ?? []).find((c) => c.role === 'amount'))
  const firstTotal = $derived(
    '/totals?' +
      new URLSearchParams({
        dataset: name,
        over: 'all dates',
        as_of: 'latest',
        figures: first ? `sum ${first.name}` : 'count',
      }),
  )
</script>

{#snippet cautions(remarks: Schemas['Remark'][])}
  {#each remarks as r (r.code + (r.column ?? '') + r.text)}
    <p class="mt-2" data-remark={r.code}>
      <b class="font-semibold text-worse">Caution</b>
      {r.column ? `${wordsOf(r.column)}: ` : ''}{r.text}
    </p>
  {/each}
{/snippet}

<section class="card p-4" data-load-files>
  <p class="sr-only" role="status" data-loaded>
    {#if loaded}{countRecords(loaded.records)} loaded into {name}{/if}
  </p>
  {#if loaded}
    <h2 class="font-semibold">
      {countRecords(loaded.records)}
      {loaded.records === 1 ? 'is' : 'are'} in <span class="text-inside">{name}</span>
    </h2>
    <p class="mt-1 text-quiet">
      {#if loaded.oldest && loaded.newest}From {long(loaded.oldest)} to {long(loaded.newest)}.{/if}
      {#if loaded.replaced > 0}They take the place of {loaded.replaced.toLocaleString('en')}.{/if}
      Load {loaded.id} can be undone below.
    </p>
    {@render cautions(loaded.remarks ?? [])}
    <div class="mt-3 flex gap-2">
      <a class="button button-strong" href={firstTotal}>Total them</a>
      <a class="button" href={`/records${carried() ? carried() + '&' : '?'}dataset=${encodeURIComponent(name)}`}
        >See the records</a
      >
      <button class="button" onclick={onclose}>Done</button>
    </div>
  {:else}
    <div class="flex flex-wrap items-end gap-3">
      <div class="w-64">
        <label class="label" for="load-name">Into the dataset</label>
        <input id="load-name" class="field" bind:value={name} list="dataset-names" spellcheck="false" />
        <datalist id="dataset-names"
          >{#each datasets as d (d.name)}<option value={d.name}></option>{/each}</datalist
        >
      </div>
      <div class="min-w-0 flex-1 pb-1">
        <div class="truncate font-semibold">{files.map((f) => f.name).join(', ')}</div>
        <div class="text-quiet">
          {#if look.data}{readAs}{:else}reading…{/if}
        </div>
      </div>
      <button
        class="button button-strong"
        onclick={() => void start()}
        disabled={sending !== null || look.isError || look.isPending || (look.data?.faults.length ?? 0) > 0}
        >Load</button
      >
      <button class="button" onclick={() => (sending ? sending.cancel() : onclose())}>Cancel</button>
    </div>

    {#if existing}
      <div class="mt-3 flex flex-wrap items-center gap-2">
        <span class="text-quiet">There {existing.records === 1 ? 'is' : 'are'} {countRecords(existing.records)}.</span>
        <Select
          label="What happens to the records that are there"
          value={mode}
          options={[
            { value: 'append', label: 'They stay' },
            { value: 'replace', label: 'All are replaced' },
            { value: 'span', label: 'Those of a span are replaced' },
            { value: 'key', label: 'Those with the same key are replaced' },
          ]}
          onchoose={(v) => (mode = v)}
        />
        {#if mode === 'span'}
          <input
            class="field w-64! font-mono text-[0.75rem]"
            aria-label="The span that is replaced"
            placeholder="last full month"
            bind:value={stated.replace}
          />
        {:else if mode === 'key'}
          {#each existing.columns as c (c.name)}
            <button
              class={['chip', key.includes(c.name) && 'chip-on']}
              aria-pressed={key.includes(c.name)}
              onclick={() => (key = key.includes(c.name) ? key.filter((k) => k !== c.name) : [...key, c.name])}
              >{c.name}</button
            >
          {/each}
        {/if}
      </div>
    {/if}

    {#if sending}
      <div
        class="mt-3"
        role="progressbar"
        aria-valuenow={Math.round(part * 100)}
        aria-valuemin="0"
        aria-valuemax="100"
        aria-label="Sent"
      >
        <div class="h-1.5 overflow-hidden rounded bg-ahead">
          <div class="h-full bg-inside" style:width="{part * 100}%"></div>
        </div>
        <div class="mt-1 text-quiet">
          {part < 1 ? `${Math.round(part * 100)} % sent` : 'sent; the records are being stored'}
        </div>
      </div>
    {/if}
    {#if problem && !(problem instanceof RefusedError && problem.problem.faults)}
      <div class="mt-3 flex flex-wrap items-center gap-2" role="alert">
        <span class="font-semibold text-worse">Refused</span><span>{problem.message}</span>
        {#if problem instanceof RefusedError && problem.problem.code === 'already_loaded'}
          <button class="button" onclick={() => ((stated.again = 'true'), void start())}>Load it again</button>
        {/if}
      </div>
    {:else if look.isError}
      <div class="mt-3 flex flex-wrap items-center gap-2" role="alert">
        <span class="font-semibold text-worse">Refused</span><span>{look.error.message}</span>
      </div>
    {/if}
    {#if faults.length > 0}
      <div class="mt-3" role="alert"><Faults {faults} onsuggest={suggested} /></div>
    {/if}

    {@render cautions(look.data?.remarks ?? [])}

    {#if look.data}
      <div class="mt-4 overflow-x-auto" {@attach scrolls}>
        <table class="w-full" data-columns>
          <thead>
            <tr class="h-8 border-b border-line text-left text-quiet">
              <th class="pr-3 font-normal">column</th><th class="px-3 font-normal">type</th><th class="px-3 font-normal"
                >used as</th
              >
              {#if !look.data.exists}<th class="px-3 font-normal">unit</th><th class="px-3 font-normal">decimals</th><th
                  class="px-3 font-normal">better</th
                >{/if}
              <th class="px-3 font-normal">first values</th>
            </tr>
          </thead>
          <tbody>
            {#each look.data.columns as c, i (c.name)}
              <tr class="h-10 border-t border-line/60">
                <td class="max-w-56 truncate pr-3 font-semibold">{c.name}</td>
                <td class="px-3 whitespace-nowrap text-quiet">
                  {#if look.data.exists}{c.type}{:else}
                    <select
                      class="field w-28!"
                      aria-label={`Type of ${c.name}`}
                      value={c.type}
                      onchange={(e) => {
                        problem = null
                        types[c.name] = e.currentTarget.value as Column['type']
                        delete uses[c.name]
                      }}
                    >
                      {#each ['text', 'number', 'date', 'timestamp'] as t (t)}<option value={t}
                          >{t === 'timestamp' ? 'time' : t}</option
                        >{/each}
                    </select>
                  {/if}
                  {#if look.data.suggestions?.[c.name]}
                    {@const s = look.data.suggestions[c.name]!}
                    <button class="chip ml-1" onclick={() => suggested(s.option, s.value)}
                      >numbers like {s.value}?</button
                    >
                  {/if}
                </td>
                <td class="px-3">
                  {#if look.data.exists}{c.role}{:else}
                    <Select
                      label={`${c.name} is used as`}
                      value={uses[c.name] ?? c.role}
                      options={usesOf}
                      onchoose={(v) => use(c.name, v as Use)}
                    />
                  {/if}
                </td>
                {#if !look.data.exists}
                  {#if c.type === 'number' && c.role !== 'day'}
                    <td class="px-3"
                      ><input
                        class="field w-20!"
                        aria-label={`Unit of ${c.name}`}
                        value={said[c.name]?.unit ?? ''}
                        oninput={(e) => (said[c.name] = { ...said[c.name], unit: e.currentTarget.value })}
                      /></td
                    >
                    <td class="px-3"
                      ><input
                        class="field w-16!"
                        type="number"
                        min="0"
                        max="18"
                        aria-label={`Decimals of ${c.name}`}
                        value={said[c.name]?.decimals ?? c.decimals ?? 0}
                        oninput={(e) =>
                          (said[c.name] = { ...said[c.name], decimals: e.currentTarget.valueAsNumber || 0 })}
                      /></td
                    >
                    <td class="px-3"
                      ><select
                        class="field w-24!"
                        aria-label={`Better of ${c.name}`}
                        value={said[c.name]?.better ?? 'neither'}
                        onchange={(e) =>
                          (said[c.name] = { ...said[c.name], better: e.currentTarget.value as 'higher' })}
                      >
                        {#each ['neither', 'higher', 'lower'] as b (b)}<option>{b}</option>{/each}
                      </select></td
                    >
                  {:else}<td colspan="3"></td>{/if}
                {/if}
                <td class="max-w-64 truncate px-3 text-quiet"
                  >{look.data.samples.map((row) => row[i] || '·').join('  |  ')}</td
                >
              </tr>
            {/each}
          </tbody>
        </table>
      </div>
      {#if omitted.length > 0}
        <p class="mt-2 text-quiet">
          Left out:
          {#each omitted as c (c)}<button class="chip ml-1" onclick={() => delete uses[c]}>{c}, take it</button>{/each}
        </p>
      {/if}
    {/if}
    <details class="mt-3" open={look.isError}>
      <summary class="cursor-pointer text-quiet">How the file is written</summary>
      <div class="mt-2 grid grid-cols-[repeat(auto-fill,minmax(11rem,1fr))] gap-3">
        {#each options as o (o.field)}
          <div>
            <label class="label" for={`load-${o.field}`}>{o.label}</label>
            {#if o.values}
              <select id={`load-${o.field}`} class="field" bind:value={stated[o.field]}>
                {#each o.values as v (v)}<option value={v}>{v || 'found out'}</option>{/each}
              </select>
            {:else}
              <input
                id={`load-${o.field}`}
                class="field"
                placeholder={o.hint}
                bind:value={stated[o.field]}
                spellcheck="false"
              />
            {/if}
          </div>
        {/each}
        {#if !existing}
          <div>
            <label class="label" for="load-no-records">No record means</label>
            <select id="load-no-records" class="field" bind:value={noRecords}>
              <option value="">not known</option><option value="zero">zero</option>
            </select>
          </div>
        {/if}
        <label class="flex items-center gap-2 self-end pb-1"
          ><input
            type="checkbox"
            checked={stated.allow_undated === 'true'}
            onchange={(e) => (stated.allow_undated = e.currentTarget.checked ? 'true' : '')}
          /> Accept records without a date</label
        >
      </div>
    </details>
  {/if}
</section>
