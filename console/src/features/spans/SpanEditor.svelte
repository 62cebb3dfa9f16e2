<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query'
  import { api, data, ifMatch, succeed, type Span } from '../../api/client'
  import { useCalendars, type Context } from '../../api/queries'
  import Select from '../../ui/Select.svelte'
  import Expression from './Expression.svelte'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'

  // Makes a span (span is undefined) or changes one. ondone gets the name that is there afterwards,
  // null after a removal or when nothing is created.
  let {
    span,
    context,
    ondone,
    oncancel,
  }: { span: Span | undefined; context: Context | null; ondone: (name: string | null) => void; oncancel?: () => void } =
    $props()

  const client = useQueryClient()
  const calendars = useCalendars()
  const making = $derived(span === undefined)

  let name = $state('')
  let is = $state('')
  let own = $state('')
  let about = $state('')
  let note = $state('')
  let error = $state<Error | null>(null)
  let busy = $state(false)
  let removing = $state(false)

  // The form follows the span, and its newest version.
  $effect(() => {
    name = span?.definition.name ?? ''
    is = span?.definition.is ?? ''
    own = span?.definition.calendar ?? ''
    about = span?.definition.about ?? ''
    note = ''
    error = null
    removing = false
  })
  const changed = $derived(
    span === undefined
      ? name !== '' && is !== ''
      : is !== span.definition.is ||
          own !== (span.definition.calendar ?? '') ||
          about !== (span.definition.about ?? ''),
  )

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
    const body = {
      name: name.trim().toLowerCase(),
      is,
      calendar: own || undefined,
      about: about || undefined,
      tags: span?.definition.tags ?? [],
    }
    const query = note ? { note } : {}
    void attempt(async () => {
      const s = span
        ? data(
            await api.PUT('/spans/{name}', {
              params: { path: { name: span.definition.name }, query, header: ifMatch(span.version) },
              body,
            }),
          )
        : data(await api.POST('/spans', { params: { query }, body }))
      return s.definition.name
    })
  }

  function remove() {
    const s = span
    if (!s) return
    void attempt(async () => {
      succeed(
        await api.DELETE('/spans/{name}', {
          params: { path: { name: s.definition.name }, header: ifMatch(s.version) },
        }),
      )
      return null
    })
  }
</script>

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
      <input
        id="span-name"
        class="field"
        bind:value={name}
        autofocus
        placeholder="closed-month"
        spellcheck="false"
        autocomplete="off"
        maxlength="60"
      />
    </div>
  {/if}
  <Expression id="span-is" label={making ? 'Is' : name} bind:value={is} {context} {own} cautions={making || changed} />
  <div class="mt-3 grid gap-3 sm:grid-cols-[10rem_1fr]">
    <div>
      <span class="label">Own calendar</span>
      <Select
        label="Own calendar"
        wide
        value={own || '(as the page)'}
        options={[
          { value: '(as the page)', label: 'as the page' },
          ...(calendars.data ?? []).map((c) => ({
            value: c.definition.name,
            label: c.definition.name,
            hint: c.definition.about ?? c.layout,
          })),
        ]}
        onchoose={(v) => (own = v === '(as the page)' ? '' : v)}
      />
    </div>
    <div>
      <label class="label" for="span-about">What it is for</label>
      <input id="span-about" class="field" bind:value={about} autocomplete="off" />
    </div>
  </div>
  {#if changed && !making}
    <div class="mt-3">
      <label class="label" for="span-note">Why it is changed</label>
      <input id="span-note" class="field" bind:value={note} autocomplete="off" placeholder="kept with the version" />
    </div>
  {/if}
  {#if error}<div class="mt-3"><ErrorPanel {error} /></div>{/if}
  <div class="mt-4 flex flex-wrap items-center gap-2">
    <button class="button button-strong" disabled={!changed || busy}>{making ? 'Add span' : 'Save change'}</button>
    {#if span}
      <span class="text-2xs text-quiet">version {span.version}, by {span.author}</span>
      {#if removing}
        <span class="ml-auto text-worse">Remove @{span.definition.name}?</span>
        <button type="button" class="button border-worse text-worse" onclick={remove} disabled={busy}>Remove</button>
        <button type="button" class="button" onclick={() => (removing = false)}>Keep</button>
      {:else}
        <button type="button" class="button ml-auto" onclick={() => (removing = true)}>Remove…</button>
      {/if}
    {:else if oncancel}
      <button type="button" class="button ml-auto" onclick={oncancel}>Cancel</button>
    {/if}
  </div>
</form>
