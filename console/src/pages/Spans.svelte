<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query'
  import Plus from '@lucide/svelte/icons/plus'
  import Dayline, { type Line } from '../components/Dayline.svelte'
  import Expression from '../components/Expression.svelte'
  import Steps from '../components/Steps.svelte'
  import Trouble from '../components/Trouble.svelte'
  import Choice from '../components/Choice.svelte'
  import { api, data, type Span } from '../lib/api'
  import { useAsOf, useCalendars, useResolve, useSpans } from '../lib/queries'
  import { param, setParam } from '../lib/state.svelte'

  const client = useQueryClient()
  const spans = useSpans()
  const calendars = useCalendars()
  const asOf = useAsOf()

  const names = $derived(spans.data?.map((s) => s.name) ?? [])
  const resolved = useResolve(
    () => [...names.map((n) => '@' + n), ...names.map((n) => `@${n}, 1 year earlier`)],
    () => asOf.reading,
  )
  const lines = $derived<Line[]>(
    (spans.data ?? []).map((s, i) => {
      const r = resolved.data?.resolutions[i]
      const back = resolved.data?.resolutions[i + names.length]
      return {
        name: s.name,
        is: s.calendar ? `${s.is} · ${s.calendar}` : s.is,
        intervals: r?.intervals ?? [],
        days: r?.days ?? null,
        counterpart: back?.intervals ?? [],
        error: r?.error?.message ?? null,
      }
    }),
  )

  // "+" stands for a span that is being made; names never have that sign.
  const chosen = $derived(param('span') ?? names[0] ?? null)
  const making = $derived(chosen === '+' || (spans.isSuccess && names.length === 0))
  const current = $derived<Span | undefined>(making ? undefined : spans.data?.find((s) => s.name === chosen))

  let name = $state('')
  let is = $state('')
  let own = $state('')
  let about = $state('')
  let trouble = $state<Error | null>(null)
  let busy = $state(false)
  let removing = $state(false)

  // The form follows the chosen span, and its newest version.
  $effect(() => {
    const s = current
    name = s?.name ?? ''
    is = s?.is ?? ''
    own = s?.calendar ?? ''
    about = s?.about ?? ''
    trouble = null
    removing = false
  })
  const changed = $derived(making ? name !== '' && is !== '' : current !== undefined && (is !== current.is || own !== (current.calendar ?? '') || about !== (current.about ?? '')))

  const explained = useResolve(
    () => (current ? ['@' + current.name] : []),
    () => asOf.reading,
    true,
  )

  async function attempt(work: () => Promise<string | null>) {
    busy = true
    trouble = null
    try {
      const next = await work()
      await client.invalidateQueries({ queryKey: ['spans'] })
      await client.invalidateQueries({ queryKey: ['resolve'] })
      setParam('span', next)
    } catch (e) {
      trouble = e as Error
    } finally {
      busy = false
    }
  }

  function save() {
    if (!changed || busy) return
    const body = { name: name.trim().toLowerCase(), is, calendar: own || undefined, about: about || undefined, tags: current?.tags ?? [] }
    void attempt(async () => {
      const s = current
        ? data(await api.PUT('/spans/{name}', { params: { path: { name: current.name }, query: { version: current.version } }, body }))
        : data(await api.POST('/spans', { body }))
      return s.name
    })
  }

  function remove() {
    const s = current
    if (!s) return
    void attempt(async () => {
      const answer = await api.DELETE('/spans/{name}', { params: { path: { name: s.name } } })
      if (answer.error) data(answer)
      return null
    })
  }
</script>

<svelte:head><title>Spans · Vast Span</title></svelte:head>

<div class="mb-2.5 flex flex-wrap items-center gap-3">
  <h1 class="text-xl font-semibold tracking-tight">Spans</h1>
  <p class="hidden text-quiet md:block">drag the as-of line; ← → step a day, shift a month</p>
  <button class="button button-strong ml-auto" onclick={() => setParam('span', '+')}><Plus class="size-3.5" aria-hidden="true" />New span</button>
</div>

{#if spans.isError}
  <Trouble error={spans.error} again={() => void spans.refetch()} />
{:else if spans.isPending || asOf.day === null}
  <div class="card h-96 animate-pulse" aria-busy="true" aria-label="Loading the spans"></div>
{:else}
  {#if resolved.isError}<div class="mb-3"><Trouble error={resolved.error} again={() => void resolved.refetch()} /></div>{/if}
  {#if names.length > 0}
    <Dayline {lines} asOf={asOf.day} {chosen} onchoose={(n) => setParam('span', n)} onmove={(day) => setParam('as_of', day, true)} />
  {:else}
    <section class="card p-8 text-center">
      <h2 class="font-semibold">No spans are named yet</h2>
      <p class="mt-1 text-quiet">Name the stretches of days you keep typing into filters, once. They follow the as-of day by themselves.</p>
    </section>
  {/if}

  <div class="mt-3.5 grid gap-3.5 lg:grid-cols-2">
    <form
      class="card p-4"
      aria-label={making ? 'New span' : 'Change the span'}
      onsubmit={(e) => {
        e.preventDefault()
        save()
      }}
    >
      {#if making}
        <div class="mb-3">
          <label class="label" for="span-name">Name</label>
          <!-- svelte-ignore a11y_autofocus -->
          <input id="span-name" class="field" bind:value={name} autofocus placeholder="closed-month" spellcheck="false" autocomplete="off" maxlength="60" />
        </div>
      {/if}
      <Expression id="span-is" label={making ? 'Is' : name} bind:value={is} reading={asOf.reading} {own} />
      <div class="mt-3 grid gap-3 sm:grid-cols-[10rem_1fr]">
        <div>
          <span class="label">Own calendar</span>
          <Choice
            label="Own calendar"
            wide
            value={own || '(as the page)'}
            options={[{ value: '(as the page)', label: 'as the page' }, ...(calendars.data ?? []).map((c) => ({ value: c.name, label: c.name, hint: c.about }))]}
            onchoose={(v) => (own = v === '(as the page)' ? '' : v)}
          />
        </div>
        <div>
          <label class="label" for="span-about">What it is for</label>
          <input id="span-about" class="field" bind:value={about} autocomplete="off" />
        </div>
      </div>
      {#if trouble}<div class="mt-3"><Trouble error={trouble} /></div>{/if}
      <div class="mt-4 flex items-center gap-2">
        <button class="button button-strong" disabled={!changed || busy}>{making ? 'Add span' : 'Save change'}</button>
        {#if current}
          <span class="text-2xs text-quiet">version {current.version}, by {current.author}</span>
          {#if removing}
            <span class="ml-auto text-worse">Remove @{current.name}?</span>
            <button type="button" class="button border-worse text-worse" onclick={remove} disabled={busy}>Remove</button>
            <button type="button" class="button" onclick={() => (removing = false)}>Keep</button>
          {:else}
            <button type="button" class="button ml-auto" onclick={() => (removing = true)}>Remove…</button>
          {/if}
        {:else if names.length > 0}
          <button type="button" class="button ml-auto" onclick={() => setParam('span', null)}>Cancel</button>
        {/if}
      </div>
    </form>
    <section class="card p-4" aria-label="Why these days">
      <h2 class="label">Why these days</h2>
      {#if current && explained.data?.resolutions[0]}
        {@const r = explained.data.resolutions[0]}
        {#if r.error}
          <p class="text-worse">{r.error.message}</p>
        {:else}
          <Steps resolution={r} />
          {#each r.cautions ?? [] as caution (caution.text)}
            <p class="mt-2 text-quiet"><b class="font-semibold text-worse">Caution</b> {caution.text}</p>
          {/each}
        {/if}
        {#if current.users.length > 0}<p class="mt-3 text-quiet">Used by {current.users.map((u) => '@' + u).join(', ')}</p>{/if}
      {:else}
        <p class="text-quiet">The steps are shown once the span is there.</p>
      {/if}
    </section>
  </div>
{/if}
