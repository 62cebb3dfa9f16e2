<script lang="ts">
  import ArrowDown from '@lucide/svelte/icons/arrow-down'
  import ArrowUp from '@lucide/svelte/icons/arrow-up'
  import { useQueryClient } from '@tanstack/svelte-query'
  import { api, data, ifMatch, succeed, type Span } from '../../api/client'
  import { type Context } from '../../api/queries'
  import Expression from './Expression.svelte'
  import OwnCalendar from './OwnCalendar.svelte'
  import { ask } from '../../ui/ask.svelte'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'

  // Changes a span: what it is, its name, its place in the list. ondone gets the name that is there afterwards, null after a
  // removal.
  let {
    span,
    context,
    order,
    ondone,
    onduplicate,
  }: {
    span: Span
    context: Context | null
    order?: string[]
    ondone: (name: string | null) => void
    onduplicate?: (span: Span) => void
  } = $props()

  const client = useQueryClient()

  let newName = $state<string | null>(null)
  let is = $state('')
  let own = $state('')
  let about = $state('')
  let note = $state('')
  let error = $state<Error | null>(null)
  let busy = $state(false)

  // The form follows the span, and its newest version.
  $effect(() => {
    newName = null
    is = span.definition.is
    own = span.definition.calendar ?? ''
    about = span.definition.about ?? ''
    note = ''
    error = null
  })
  const changed = $derived(
    is !== span.definition.is || own !== (span.definition.calendar ?? '') || about !== (span.definition.about ?? ''),
  )
  const at = $derived((order ?? []).indexOf(span.definition.name))

  async function attempt(work: () => Promise<string | null>) {
    busy = true
    error = null
    try {
      const next = await work()
      await client.invalidateQueries()
      ondone(next)
    } catch (e) {
      error = e as Error
    } finally {
      busy = false
    }
  }

  function save() {
    if (!changed || busy) return
    const { name, tags } = span.definition
    const body = { name, is, calendar: own || undefined, about: about || undefined, tags: tags ?? [] }
    const query = note ? { note } : {}
    void attempt(async () => {
      const reply = await api.PUT('/spans/{name}', {
        params: { path: { name }, query, header: ifMatch(span.version) },
        body,
      })
      return data(reply).definition.name
    })
  }

  async function remove() {
    const sure = await ask({
      title: `Remove @${span.definition.name}?`,
      text: 'Spans, briefs and schedules can no longer use it. Its versions are kept: vastspan span restore brings it back.',
      action: 'Remove the span',
    })
    if (!sure) return
    await attempt(async () => {
      const path = { name: span.definition.name }
      succeed(await api.DELETE('/spans/{name}', { params: { path, header: ifMatch(span.version) } }))
      return null
    })
  }

  // What refers to the span does so by its new name afterwards.
  function rename() {
    const name = (newName ?? '').trim().toLowerCase()
    if (name === '' || name === span.definition.name || busy) {
      newName = null
      return
    }
    void attempt(async () => {
      const path = { name: span.definition.name }
      const reply = await api.POST('/spans/{name}/rename', {
        params: { path, header: ifMatch(span.version) },
        body: { name },
      })
      return data(reply).name
    })
  }

  // Puts the span one place earlier or later in the list.
  const move = (by: -1 | 1) =>
    attempt(async () => {
      const before = by < 0 ? order?.[at - 1] : order?.[at + 2]
      const path = { name: span.definition.name }
      succeed(await api.POST('/spans/{name}/move', { params: { path }, body: before ? { before } : {} }))
      return span.definition.name
    })
</script>

<form
  class="card p-4"
  aria-label="Change the span"
  onsubmit={(e) => {
    e.preventDefault()
    save()
  }}
>
  {#if newName !== null}
    <div class="mb-3 flex flex-wrap items-end gap-2">
      <div class="min-w-48 flex-1">
        <label class="label" for="span-name">New name</label>
        <!-- svelte-ignore a11y_autofocus -->
        <input
          id="span-name"
          class="field min-h-9"
          bind:value={newName}
          autofocus
          spellcheck="false"
          autocomplete="off"
          maxlength="60"
          onkeydown={(e) => {
            if (e.key === 'Enter') {
              e.preventDefault()
              rename()
            } else if (e.key === 'Escape') newName = null
          }}
        />
      </div>
      <button type="button" class="button button-strong" onclick={rename} disabled={busy}>Rename</button>
      <button type="button" class="button" onclick={() => (newName = null)}>Keep the name</button>
      {#if span.users.length > 0}<p class="w-full text-2xs text-quiet">
          {span.users.map((u) => '@' + u).join(', ')} and the briefs and schedules that refer to it do so by the new name.
        </p>{/if}
    </div>
  {/if}
  <Expression id="span-is" label={span.definition.name} bind:value={is} {context} {own} cautions={changed} />
  <div class="mt-3 grid gap-3 sm:grid-cols-[10rem_1fr]">
    <div>
      <OwnCalendar bind:own />
    </div>
    <div>
      <label class="label" for="span-about">What it is for</label>
      <input id="span-about" class="field" bind:value={about} autocomplete="off" />
    </div>
  </div>
  {#if changed}
    <div class="mt-3">
      <label class="label" for="span-note">Why it is changed</label>
      <input id="span-note" class="field" bind:value={note} autocomplete="off" placeholder="kept with the version" />
    </div>
  {/if}
  {#if error}<div class="mt-3"><ErrorPanel {error} mend={(_, e) => (is = e)} /></div>{/if}
  <div class="for-analyst mt-4 flex flex-wrap items-center gap-2">
    <button class="button button-strong" disabled={!changed || busy}>Save change</button>
    {#if order}
      <button
        type="button"
        class="button px-2"
        aria-label="Earlier in the list"
        disabled={at < 1 || busy}
        onclick={() => void move(-1)}><ArrowUp class="size-3.5" /></button
      >
      <button
        type="button"
        class="button px-2"
        aria-label="Later in the list"
        disabled={at < 0 || at >= order.length - 1 || busy}
        onclick={() => void move(1)}><ArrowDown class="size-3.5" /></button
      >
    {/if}
    <button type="button" class="button" onclick={() => (newName = span.definition.name)}>Rename…</button>
    {#if onduplicate}<button type="button" class="button" onclick={() => onduplicate(span)}>Duplicate…</button>{/if}
    <button type="button" class="button ml-auto" onclick={() => void remove()} disabled={busy}>Remove…</button>
  </div>
  <p class="mt-2 text-2xs text-quiet">version {span.version}, by {span.author}</p>
</form>
