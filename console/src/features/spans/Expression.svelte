<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query'
  import { api, data, type ExpressionError } from '../../api/client'
  import { extent, size } from '../../lib/moments'
  import type { Context } from '../../api/queries'

  // An expression field that is checked as one types: its canonical text and days, or the error with
  // the place marked and readings to click.
  let {
    value = $bindable(),
    context,
    label,
    own = null,
    cautions = true,
    id,
    onenter,
  }: {
    value: string
    context: Context | null
    label: string
    own?: string | null
    cautions?: boolean
    id: string
    onenter?: () => void
  } = $props()

  let settled = $state('')
  $effect(() => {
    const text = value
    const wait = setTimeout(() => (settled = text), 120)
    return () => clearTimeout(wait)
  })

  const check = createQuery(() => {
    const text = settled
    const r = context === null ? null : { ...context, calendar: own || context.calendar }
    return {
      queryKey: ['check', text, r],
      queryFn: async () =>
        data(await api.POST('/resolve', { body: { expressions: [text], ...(r as Context), explain: true } })),
      enabled: r !== null && text.trim() !== '',
      staleTime: 5_000,
    }
  })
  const found = $derived(settled === value && value.trim() !== '' ? check.data?.resolutions[0] : undefined)
  const error = $derived(found?.error)

  function before(e: ExpressionError) {
    return [...value].slice(0, e.column - 1).join('')
  }
  function wrong(e: ExpressionError) {
    return [...value].slice(e.column - 1, e.column - 1 + e.width).join('') || ' '
  }
  function after(e: ExpressionError) {
    return [...value].slice(e.column - 1 + e.width).join('')
  }
</script>

<label class="label" for={id}>{label}</label>
<input
  {id}
  class={['field min-h-9 font-mono', error && 'border-worse']}
  bind:value
  spellcheck="false"
  autocomplete="off"
  placeholder="last full month"
  aria-invalid={error ? true : undefined}
  aria-describedby={id + '-check'}
  onkeydown={(e) => {
    if (e.key === 'Enter') onenter?.()
  }}
/>
<div id={id + '-check'} class="mt-2 min-h-10" aria-live="polite" data-check>
  {#if value.trim() === ''}
    <p class="text-quiet">
      Say which days: <code class="font-mono">last full month</code>, <code class="font-mono">trailing 90 days</code>,
      <code class="font-mono">month to date excluding today</code>
    </p>
  {:else if check.isError}
    <p class="text-worse">{check.error.message}</p>
  {:else if error}
    <p class="text-worse">{error.message}</p>
    {#if error.column > 0}
      <p class="overflow-x-auto font-mono whitespace-pre text-quiet" aria-hidden="true">
        {before(error)}<span class="text-worse underline decoration-wavy underline-offset-4">{wrong(error)}</span
        >{after(error)}
      </p>
    {/if}
    {#if error.offers && error.offers.length > 0}
      <p class="mt-1.5 flex flex-wrap gap-1.5">
        {#each error.offers as offer (offer)}
          <button type="button" class="chip font-mono hover:border-inside" onclick={() => (value = offer)}
            >{offer}</button
          >
        {/each}
      </p>
    {/if}
  {:else if found}
    <p>
      <span class="text-quiet">Reads as</span>
      <code class="font-mono">{found.expression}</code><span class="text-quiet">:</span>
      <b class="font-semibold" data-reads>{extent(found)}</b>
      <span class="text-quiet">{size(found)}</span>
    </p>
    {#each cautions ? (found.cautions ?? []) : [] as caution (caution.text)}
      <p class="mt-1 text-quiet"><b class="font-semibold text-worse">Caution</b> {caution.text}</p>
    {/each}
  {/if}
</div>
