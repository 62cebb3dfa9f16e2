<script lang="ts">
  import { createQuery, keepPreviousData, useQueryClient } from '@tanstack/svelte-query'
  import ArrowLeft from '@lucide/svelte/icons/arrow-left'
  import ArrowRight from '@lucide/svelte/icons/arrow-right'
  import GripVertical from '@lucide/svelte/icons/grip-vertical'
  import Minus from '@lucide/svelte/icons/minus'
  import Plus from '@lucide/svelte/icons/plus'
  import Printer from '@lucide/svelte/icons/printer'
  import ReceiptText from '@lucide/svelte/icons/receipt-text'
  import X from '@lucide/svelte/icons/x'
  import { Popover } from 'bits-ui'
  import BriefItem from '../components/BriefItem.svelte'
  import BriefRehearsal from '../components/BriefRehearsal.svelte'
  import Expression from '../components/Expression.svelte'
  import Trouble from '../components/Trouble.svelte'
  import TwoDates from '../components/TwoDates.svelte'
  import { api, data } from '../lib/api'
  import { isConflict, useBriefs, useKeeper, widthOf, type BriefDefinition } from '../lib/briefs'
  import { long, step } from '../lib/days'
  import { useAsOf } from '../lib/queries'
  import { carried, param, params, setParam, statedAsOf } from '../lib/state.svelte'
  import { navigate, route } from '../router'

  const briefs = useBriefs()
  const asOf = useAsOf()
  const keep = useKeeper()
  const client = useQueryClient()
  const name = $derived(decodeURIComponent(route.params.name ?? ''))
  const brief = $derived(briefs.data?.find((b) => b.definition.name === name))

  // A brief reads as of its own basis until a day is chosen.
  const chosen = $derived(param('as_of') !== null || statedAsOf() !== 'latest')
  $effect(() => {
    const own = brief?.definition.as_of
    if (own && own !== 'latest' && param('as_of') === null) setParam('as_of', own, true)
    const calendar = brief?.definition.calendar
    if (calendar && calendar !== 'civil' && param('calendar') === null) setParam('calendar', calendar, true)
  })
  const asks = $derived(Object.fromEntries(params('ask').map((t) => [t.slice(0, t.indexOf('=')), t.slice(t.indexOf('=') + 1)])))
  const body = $derived({
    ...(chosen && asOf.day ? { as_of: statedAsOf() === 'latest' ? 'latest' : asOf.day } : {}),
    ...(param('at_close') === 'yes' ? { at_close: true } : {}),
    ...(param('calendar') ? { calendar: param('calendar') ?? '' } : {}),
    ...(Object.keys(asks).length > 0 ? { asks } : {}),
  })
  const ask = (b: typeof body) => async () => data(await api.POST('/briefs/{name}/view', { params: { path: { name } }, body: b }))
  const view = createQuery(() => {
    const [b, version] = [body, brief?.version]
    return { queryKey: ['brief', name, version, b], queryFn: ask(b), enabled: brief !== undefined, placeholderData: keepPreviousData }
  })
  // The days next to the one at hand are fetched ahead, so that a step need not wait.
  $effect(() => {
    const day = view.data?.as_of
    if (!day || view.isPlaceholderData || !chosen) return
    const version = brief?.version
    for (const by of [1, -1, 2]) {
      const next = { ...body, as_of: step(day, by) }
      void client.prefetchQuery({ queryKey: ['brief', name, version, next], queryFn: ask(next) })
    }
  })

  const rehearsing = $derived(param('rehearse') === 'yes')

  // While it is edited there is a draft, made from a version; what others change meanwhile is told.
  let draft = $state<BriefDefinition | null>(null)
  let from = $state(0)
  let trouble = $state<Error | null>(null)
  let conflict = $state(false)
  let dragged = $state<number | null>(null)
  const items = $derived(draft?.items ?? brief?.definition.items ?? [])
  // An item's answer is found by its place in what was answered.
  const answers = $derived(new Map((view.data?.items ?? []).map((v) => [JSON.stringify(withoutLook(v.item)), v])))
  const answer = (it: (typeof items)[number]) => answers.get(JSON.stringify(withoutLook(it)))

  function withoutLook(it: (typeof items)[number]) {
    const { width: _width, title: _title, ...asked } = it
    return Object.fromEntries(Object.entries(asked).sort(([a], [b]) => (a < b ? -1 : 1)))
  }
  function edit() {
    if (!brief) return
    draft = $state.snapshot(brief.definition) as BriefDefinition
    from = brief.version
    trouble = null
    conflict = false
  }
  async function save(over = from) {
    if (!draft) return
    trouble = null
    try {
      await keep($state.snapshot(draft) as BriefDefinition, over, 'arranged in the console')
      draft = null
      conflict = false
    } catch (e) {
      trouble = e as Error
      conflict = isConflict(e)
      if (conflict) await briefs.refetch()
    }
  }
  function move(i: number, to: number) {
    if (!draft || to < 0 || to >= draft.items.length) return
    const next = [...draft.items]
    const [it] = next.splice(i, 1)
    if (it) next.splice(to, 0, it)
    draft.items = next
  }
  function resize(i: number, by: number) {
    const it = draft?.items[i]
    if (it) it.width = Math.min(12, Math.max(2, widthOf(it) + by))
  }
  // An item that has the focus is arranged by keys: arrows move it, + and − size it.
  function key(e: KeyboardEvent, i: number) {
    if (!draft || (e.target as HTMLElement).closest('input, button')) return
    const done = () => {
      e.preventDefault()
      e.stopPropagation()
    }
    if (e.key === 'ArrowLeft' || e.key === 'ArrowUp') (move(i, i - 1), focus(i - 1), done())
    else if (e.key === 'ArrowRight' || e.key === 'ArrowDown') (move(i, i + 1), focus(i + 1), done())
    else if (e.key === '+' || e.key === '=') (resize(i, 1), done())
    else if (e.key === '-') (resize(i, -1), done())
    else if (e.key === 'Delete') ((draft.items = draft.items.filter((_, j) => j !== i)), done())
  }
  const focus = (i: number) => setTimeout(() => document.querySelector<HTMLElement>(`[data-item="${Math.max(0, Math.min(i, items.length - 1))}"]`)?.focus())

  let frozen = $state<{ id: number; title: string } | null>(null)
  let receiptTitle = $state('')
  async function freeze() {
    trouble = null
    try {
      frozen = data(await api.POST('/receipts', { body: { brief: name, view: { ...body, ...(view.data ? { as_of: view.data.as_of } : {}) }, ...(receiptTitle.trim() ? { title: receiptTitle.trim() } : {}) } }))
      await client.invalidateQueries({ queryKey: ['receipts'] })
    } catch (e) {
      trouble = e as Error
    }
  }
  let askTyped = $state<Record<string, string>>({})
  const setAsk = (of: string, is: string) => setParam('ask', Object.entries({ ...asks, [of]: is }).map(([k, v]) => `${k}=${v}`))
  const undated = $derived((view.data?.items ?? []).reduce((n, v) => Math.max(n, v.total?.undated ?? 0), 0))
</script>

<svelte:head><title>{brief?.definition.title ?? name} · Vast Span</title></svelte:head>

{#if briefs.isError}
  <Trouble error={briefs.error} again={() => void briefs.refetch()} />
{:else if briefs.isPending}
  <div class="card h-96 animate-pulse" aria-busy="true" aria-label="Loading the brief"></div>
{:else if !brief}
  <section class="card p-8 text-center">
    <h1 class="font-semibold">No brief is named {name}</h1>
    <a class="button mt-4" href={'/briefs' + carried()}>To the briefs</a>
  </section>
{:else}
  <div class="mb-3 flex flex-wrap items-center gap-x-3 gap-y-2">
    {#if draft}
      <h1 class="sr-only">{draft.title}</h1>
      <input class="field w-auto min-w-64 flex-1 text-base font-semibold" bind:value={draft.title} aria-label="Title of the brief" maxlength="400" />
    {:else}
      <h1 class="max-w-[40rem] truncate text-xl font-semibold tracking-tight" title={brief.definition.title}>{brief.definition.title}</h1>
    {/if}
    {#if view.data}
      <p class="text-quiet" data-brief-as-of={view.data.as_of}>
        {chosen ? 'as of' : brief.definition.as_of === 'today' ? 'reads as of today,' : 'reads as of the latest record,'}
        {long(view.data.as_of)}{view.data.calendar !== 'civil' ? `, ${view.data.calendar}` : ''}{undated > 0 ? ` · ${undated} records without a day left out` : ''}
      </p>
    {/if}
    <div class="ml-auto flex flex-wrap gap-2 print:hidden">
      {#if draft}
        <button class="button" onclick={() => ((draft = null), (conflict = false), (trouble = null))}>Leave as it was</button>
        <button class="button button-strong" onclick={() => save()}>Keep</button>
      {:else}
        <button class={['button', rehearsing && 'button-on']} aria-pressed={rehearsing} onclick={() => setParam('rehearse', rehearsing ? null : 'yes')}>◂ Rehearse ▸</button>
        <Popover.Root onOpenChange={() => ((frozen = null), (receiptTitle = ''))}>
          <Popover.Trigger class="button"><ReceiptText class="size-3.5" aria-hidden="true" />Receipt</Popover.Trigger>
          <Popover.Portal>
            <Popover.Content class="card z-40 w-[min(22rem,94vw)] p-3 shadow-lg" sideOffset={4} align="end">
              {#if frozen}
                <p class="mb-2">Receipt {frozen.id} is made. It never changes.</p>
                <a class="button button-strong" href={`/receipt/${frozen.id}${carried()}`}>Open it</a>
              {:else}
                <p class="mb-2 text-quiet">Freezes this page as of {view.data ? long(view.data.as_of) : '…'}: days, definitions, figures.</p>
                <label class="label" for="receipt-title">Title</label>
                <div class="flex gap-2"><input id="receipt-title" class="field" bind:value={receiptTitle} placeholder={brief.definition.title} maxlength="400" autocomplete="off" /><button class="button button-strong" onclick={freeze}>Freeze</button></div>
              {/if}
            </Popover.Content>
          </Popover.Portal>
        </Popover.Root>
        <button class="button" onclick={() => print()}><Printer class="size-3.5" aria-hidden="true" />Print</button>
        <button class="button button-strong" onclick={edit}>Edit</button>
      {/if}
    </div>
  </div>

  {#if trouble}
    <div class="card mb-3.5 flex flex-wrap items-center gap-3 border-worse/40 px-4 py-3" role="alert" data-conflict={conflict || undefined}>
      <b class="font-semibold text-worse">{conflict ? 'Changed meanwhile' : 'Refused'}</b>
      <span class="min-w-0 flex-1">{trouble.message}{conflict ? ' Nothing of yours is lost: it is still here.' : ''}</span>
      {#if conflict}
        <button class="button" onclick={edit}>Take theirs</button>
        <button class="button" onclick={() => brief && save(brief.version)}>Keep mine over theirs</button>
      {/if}
    </div>
  {/if}

  {#if brief.definition.asks && brief.definition.asks.length > 0}
    <section class="card mb-3.5 flex flex-wrap items-center gap-x-5 gap-y-2 px-4 py-2.5 print:border-0 print:p-0" aria-label="What the brief asks for">
      {#each brief.definition.asks as a (a.name)}
        <Popover.Root>
          <span class="text-quiet">{a.label}</span>
          <Popover.Trigger class="chip chip-on font-mono text-[0.75rem]" data-ask={a.name}>{view.data?.asks[a.name] ?? a.default}</Popover.Trigger>
          <Popover.Portal>
            <Popover.Content class="card z-40 w-[min(26rem,94vw)] p-3 shadow-lg" sideOffset={4} align="start">
              <TwoDates id={`ask-${a.name}`} value={asks[a.name] ?? a.default} onuse={(e) => setAsk(a.name, e)} />
              <h3 class="label mt-3">or any span</h3>
              {@render askExpression(a.name, asks[a.name] ?? a.default)}
            </Popover.Content>
          </Popover.Portal>
        </Popover.Root>
      {/each}
    </section>
  {/if}

  {#if rehearsing && view.data}<BriefRehearsal brief={brief.definition} asOf={chosen && asOf.day ? asOf.day : view.data.as_of} atClose={view.data.at_close} calendar={view.data.calendar} />{/if}

  {#if view.isError}
    <Trouble error={view.error} again={() => void view.refetch()} />
  {:else if items.length === 0}
    <section class="card p-8 text-center"><p class="text-quiet">Nothing is on this brief. Ask something on <a class="text-inside underline" href={'/totals' + carried()}>Totals</a> and press Add to a brief.</p></section>
  {:else}
    <div class="grid grid-cols-1 gap-3.5 md:grid-cols-12 print:grid-cols-12 print:gap-2" data-brief={name}>
      {#each items as it, i (i)}
        {@const v = answer(it)}
        <!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -- an item is arranged by keys while the page is edited -->
        <section
          class={['card min-w-0 p-4 break-inside-avoid md:[grid-column:span_var(--columns)] print:p-2 print:[grid-column:span_var(--columns)]', draft && 'cursor-grab outline-offset-2', dragged === i && 'opacity-50']}
          style:--columns={widthOf(it)}
          aria-label={it.title}
          data-item={i}
          tabindex={draft ? 0 : undefined}
          draggable={draft !== null}
          ondragstart={() => (dragged = i)}
          ondragend={() => (dragged = null)}
          ondragover={(e) => {
            if (dragged === null) return
            e.preventDefault()
            if (dragged !== i) {
              move(dragged, i)
              dragged = i
            }
          }}
          onkeydown={(e) => key(e, i)}
        >
          {#if draft}
            <div class="mb-2 flex flex-wrap items-center gap-1">
              <GripVertical class="size-4 shrink-0 text-quiet" aria-hidden="true" />
              <input class="field w-auto min-w-36 flex-1" bind:value={it.title} aria-label={`Title of item ${i + 1}`} maxlength="400" />
              <span class="flex gap-1">
                <button class="chip" onclick={() => move(i, i - 1)} disabled={i === 0} aria-label={`Move ${it.title} forward`}><ArrowLeft class="size-3" /></button>
                <button class="chip" onclick={() => move(i, i + 1)} disabled={i === items.length - 1} aria-label={`Move ${it.title} back`}><ArrowRight class="size-3" /></button>
                <button class="chip" onclick={() => resize(i, -1)} aria-label={`Make ${it.title} narrower`}><Minus class="size-3" /></button>
                <button class="chip" onclick={() => resize(i, 1)} aria-label={`Make ${it.title} wider`}><Plus class="size-3" /></button>
                <button class="chip" onclick={() => draft && (draft.items = draft.items.filter((_, j) => j !== i))} aria-label={`Take ${it.title} off`}><X class="size-3" /></button>
              </span>
            </div>
          {:else}
            <h2 class="line-clamp-2 font-semibold" title={it.title}>{it.title}</h2>
          {/if}
          {#if v}<BriefItem view={v} />{:else}<div class="mt-2 h-16 animate-pulse rounded bg-ahead" aria-busy="true"></div>{/if}
        </section>
      {/each}
    </div>
  {/if}
{/if}

{#snippet askExpression(of: string, now: string)}
  <Expression id={`ask-${of}-expression`} label="Expression" bind:value={() => askTyped[of] ?? now, (t) => (askTyped[of] = t)} reading={asOf.reading} onenter={() => askTyped[of] && setAsk(of, askTyped[of] ?? '')} />
  <div class="flex justify-end"><button class="button button-strong" onclick={() => askTyped[of] && setAsk(of, askTyped[of] ?? '')}>Use</button></div>
{/snippet}
