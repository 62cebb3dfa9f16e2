<script lang="ts">
  import { createQuery, keepPreviousData, useQueryClient } from '@tanstack/svelte-query'
  import Printer from '@lucide/svelte/icons/printer'
  import { blockNavigation } from 'sv-router'
  import { api, data, isStale, type As } from '../../api/client'
  import { useAsOf } from '../../api/queries'
  import { atClose, carried, knownState, param, params, setParam, statedAsOf } from '../../lib/address.svelte'
  import { long, step } from '../../lib/days'
  import { compact } from '../../lib/query'
  import { route } from '../../router'
  import { ask } from '../../ui/ask.svelte'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'
  import DownloadMenu from '../../ui/DownloadMenu.svelte'
  import BriefRehearsal from './BriefRehearsal.svelte'
  import { mended, useBriefs, useSaveBrief, type BriefDefinition, type Item } from './briefs'
  import ReceiptButton from './ReceiptButton.svelte'
  import ItemGrid from './ItemGrid.svelte'
  import Prompts from './Prompts.svelte'

  const briefs = useBriefs()
  const asOf = useAsOf()
  const saveBrief = useSaveBrief()
  const client = useQueryClient()
  const name = $derived(decodeURIComponent(route.params.name ?? ''))
  const brief = $derived(briefs.data?.find((b) => b.definition.name === name))

  // A brief reads as of its own day until another one is chosen.
  const chosen = $derived(param('as_of') !== null || statedAsOf() !== 'latest')
  $effect(() => {
    const own = brief?.definition.as_of
    if (own && own !== 'latest' && param('as_of') === null) setParam('as_of', own, true)
    const calendar = brief?.definition.calendar
    if (calendar && calendar !== 'civil' && param('calendar') === null) setParam('calendar', calendar, true)
  })
  const given = $derived(
    Object.fromEntries(params('prompt').map((t) => [t.slice(0, t.indexOf('=')), t.slice(t.indexOf('=') + 1)])),
  )
  const body = $derived({
    ...knownState(),
    ...(chosen && asOf.day ? { as_of: statedAsOf() === 'latest' ? 'latest' : asOf.day } : {}),
    ...compact({ at_close: atClose(), calendar: param('calendar') ?? '' }),
    ...(Object.keys(given).length > 0 ? { prompts: given } : {}),
  })
  const fetchView = (b: typeof body) => async () =>
    data(await api.POST('/briefs/{name}/view', { params: { path: { name } }, body: b }))
  const view = createQuery(() => {
    const [b, version] = [body, brief?.version]
    return {
      queryKey: ['brief', name, version, b],
      queryFn: fetchView(b),
      enabled: brief !== undefined,
      placeholderData: keepPreviousData,
    }
  })
  // The days next to the one at hand are fetched early, so that a step need not wait.
  $effect(() => {
    const day = view.data?.as_of
    if (!day || view.isPlaceholderData || !chosen) return
    const version = brief?.version
    for (const by of [1, -1, 2]) {
      const next = { ...body, as_of: step(day, by) }
      void client.prefetchQuery({ queryKey: ['brief', name, version, next], queryFn: fetchView(next) })
    }
  })
  let said = $state('')
  const take = (as: As) => api.POST('/briefs/{name}/view', { params: { path: { name } }, body, ...as })
  const rehearsing = $derived(param('rehearse') === 'yes')

  // While it is edited there is a draft, made from a version; what others change meanwhile is told.
  let draft = $state<BriefDefinition | null>(null)
  let from = $state(0)
  let error = $state<Error | null>(null)
  const conflict = $derived(isStale(error))
  const items = $derived(draft?.items ?? brief?.definition.items ?? [])
  const viewOf = (it: Item) => view.data?.items.find((v) => v.item.id === it.id)

  // A draft is kept while the tab is open, so that a reload loses nothing, and leaving it asks.
  const draftKey = $derived(`draft of brief ${name}`)
  const changed = $derived(draft !== null && JSON.stringify(draft) !== JSON.stringify(brief?.definition))
  $effect(() => {
    if (draft) sessionStorage.setItem(draftKey, JSON.stringify({ from, draft }))
  })
  $effect(() => {
    if (!brief || draft) return
    const kept = sessionStorage.getItem(draftKey)
    if (!kept) return
    const before = JSON.parse(kept) as { from: number; draft: BriefDefinition }
    draft = before.draft
    from = before.from
  })
  $effect(() => {
    if (!changed) return
    return blockNavigation(async () => {
      const sure = await ask({
        title: 'Leave without saving?',
        text: `Your changes of ${brief?.definition.title ?? name} are not saved.`,
        action: 'Discard changes',
      })
      if (sure) cancel()
      return sure
    })
  })

  function edit() {
    if (!brief) return
    draft = $state.snapshot(brief.definition) as BriefDefinition
    from = brief.version
    error = null
  }
  function cancel() {
    sessionStorage.removeItem(draftKey)
    draft = null
    error = null
  }
  async function save(over = from) {
    if (!draft) return
    error = null
    try {
      await saveBrief($state.snapshot(draft) as BriefDefinition, over, 'arranged in the console')
      sessionStorage.removeItem(draftKey)
      draft = null
    } catch (e) {
      error = e as Error
      if (isStale(e)) await briefs.refetch()
    }
  }
  // Puts another expression where an item is refused, as a new version of the brief.
  async function mend(it: Item, pointer: string, expression: string) {
    if (!brief) return
    error = null
    try {
      const items = brief.definition.items.map((own) => (own.id === it.id ? mended(own, pointer, expression) : own))
      await saveBrief(
        { ...brief.definition, items },
        brief.version,
        `${it.title}: ${expression} in the place of what was refused`,
      )
    } catch (e) {
      error = e as Error
    }
  }
  const undated = $derived((view.data?.items ?? []).reduce((n, v) => Math.max(n, v.answer?.undated ?? 0), 0))
</script>

<svelte:head><title>{brief?.definition.title ?? name} · Vast Span</title></svelte:head>

{#if briefs.isError}
  <ErrorPanel error={briefs.error} retry={() => void briefs.refetch()} />
{:else if briefs.isPending}
  <div class="card h-96 animate-pulse" aria-busy="true" aria-label="Loading the brief"></div>
{:else if !brief}
  <section class="card p-8 text-center">
    <h1 class="font-semibold">No brief is named {name}</h1>
    <a class="button mt-4" href={'/briefs' + carried()}>To the briefs</a>
  </section>
{:else}
  {@const title = brief.definition.title}
  <div class="mb-3 flex flex-wrap items-center gap-x-3 gap-y-2">
    {#if draft}
      <h1 class="sr-only">{draft.title}</h1>
      <input
        class="field w-auto min-w-64 flex-1 text-base font-semibold"
        bind:value={draft.title}
        aria-label="Title of the brief"
        maxlength="400"
      />
    {:else}
      <h1 class="max-w-[40rem] truncate text-xl font-semibold tracking-tight" {title}>{title}</h1>
    {/if}
    <div class="ml-auto flex flex-wrap gap-2 print:hidden">
      {#if draft}
        <button class="button" onclick={cancel}>Discard changes</button>
        <button class="button button-strong" onclick={() => save()}>Save</button>
      {:else}
        <button
          class={['button', rehearsing && 'button-on']}
          aria-pressed={rehearsing}
          onclick={() => setParam('rehearse', rehearsing ? null : 'yes')}>◂ Rehearse ▸</button
        >
        <ReceiptButton {name} {title} view={view.data} {body} />
        <span class="text-2xs text-quiet" role="status">{said}</span>
        <DownloadMenu {take} onreport={(text) => ((said = text), setTimeout(() => (said = ''), 4000))} />
        <button class="button" onclick={() => print()}><Printer class="size-3.5" aria-hidden="true" />Print</button>
        <button class="button button-strong for-analyst" onclick={edit}>Edit</button>
      {/if}
    </div>
    <p class="min-h-[1.2rem] w-full text-quiet" data-brief-as-of={view.data?.as_of}>
      {#if view.data}
        as of {long(view.data.as_of)}, {chosen ? 'chosen above' : view.data.basis}{view.data.calendar !== 'civil'
          ? `, ${view.data.calendar}`
          : ''}{undated > 0 ? ` · ${undated} records without a day excluded` : ''}
      {/if}
    </p>
  </div>

  {#if error}
    <div
      class="card mb-3.5 flex flex-wrap items-center gap-3 border-worse/40 px-4 py-3"
      role="alert"
      data-conflict={conflict || undefined}
    >
      <b class="font-semibold text-worse">{conflict ? 'Changed since you opened it' : 'Refused'}</b>
      <span class="min-w-0 flex-1">
        {error.message}{conflict ? ' Nothing of yours is lost: it is still here.' : ''}
      </span>
      {#if conflict}
        <button class="button" onclick={edit}>Use theirs</button>
        <button class="button" onclick={() => save(brief.version)}>Overwrite with mine</button>
      {/if}
    </div>
  {/if}

  {#if brief.definition.prompts && brief.definition.prompts.length > 0}
    <Prompts prompts={brief.definition.prompts} {given} shown={view.data?.prompts} context={asOf.context} />
  {/if}
  {#if rehearsing && view.data}
    <BriefRehearsal
      brief={brief.definition}
      asOf={chosen && asOf.day ? asOf.day : view.data.as_of}
      atClose={view.data.at_close}
      calendar={view.data.calendar}
    />
  {/if}

  {#if view.isError}
    <ErrorPanel error={view.error} retry={() => void view.refetch()} />
  {:else if items.length > 0 && !view.data}
    <div class="card h-96 animate-pulse" aria-busy="true" aria-label="Loading the items"></div>
  {:else if items.length === 0}
    <section class="card p-8 text-center">
      <p class="text-quiet">
        Nothing is on this brief. Ask something on
        <a class="text-inside underline" href={'/totals' + carried()}>Totals</a> and press Add to a brief.
      </p>
    </section>
  {:else}
    <ItemGrid
      {name}
      {items}
      editing={draft !== null}
      {viewOf}
      onchange={(next) => draft && (draft.items = next)}
      mend={draft === null ? mend : undefined}
    />
  {/if}
{/if}
