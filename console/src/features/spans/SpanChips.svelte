<script lang="ts">
  import Plus from '@lucide/svelte/icons/plus'
  import X from '@lucide/svelte/icons/x'
  import { Popover } from 'bits-ui'
  import type { Context } from '../../api/queries'
  import { useSpans } from '../../api/queries'
  import Expression from './Expression.svelte'
  import type { Schemas } from '../../api/client'
  import DatePair from './DatePair.svelte'
  import SpanList from './SpanList.svelte'

  // The spans of a query: named ones to pick, or an expression to type.
  let {
    over,
    context,
    onchange,
    single = false,
    onlist,
  }: {
    over: string[]
    context: Context | null
    onchange: (over: string[]) => void
    single?: boolean
    onlist?: (list: Schemas['Limits']) => void
  } = $props()

  const spans = useSpans()
  let open = $state(false)
  let typed = $state('')
  let search = $state('')
  /** How many named spans are offered at a time. */
  const most = 20
  const fitting = $derived(
    (spans.data ?? []).filter((s) =>
      `${s.definition.name} ${s.definition.is}`.toLowerCase().includes(search.trim().toLowerCase()),
    ),
  )

  function put(text: string) {
    if (text.trim() === '') return
    onchange(single ? [text] : over.includes(text) ? over.filter((t) => t !== text) : [...over, text])
    if (single) open = false
  }
</script>

<div class="flex flex-wrap items-center gap-1.5" data-over>
  {#each over as text (text)}
    <span class={['chip chip-on', !single && 'pr-0.5']}>
      <span class={['max-w-72 truncate', !text.startsWith('@') && 'font-mono text-[0.75rem]']}
        >{text.startsWith('@') ? text.slice(1) : text}</span
      >
      {#if !single}
        <button
          class="rounded p-1 hover:bg-ahead"
          aria-label={`Leave ${text} out`}
          onclick={() => onchange(over.filter((t) => t !== text))}><X class="size-3" /></button
        >
      {/if}
    </span>
  {/each}
  <Popover.Root bind:open>
    <Popover.Trigger class="chip text-quiet hover:text-ink"
      ><Plus class="size-3" aria-hidden="true" />{single ? 'Other span' : 'Span'}</Popover.Trigger
    >
    <Popover.Portal>
      <Popover.Content
        class="card z-40 max-h-[min(38rem,75vh)] w-[min(28rem,92vw)] overflow-y-auto p-3 shadow-lg"
        sideOffset={4}
        align="start"
      >
        <Expression
          id="over-expression"
          label="An expression"
          bind:value={typed}
          {context}
          onenter={() => put(typed)}
        />
        <div class="mt-2 flex justify-end">
          <button class="button button-strong" onclick={() => put(typed)}>Use it</button>
        </div>
        <h3 class="label mt-1">or two dates</h3>
        <DatePair id="over-dates" onuse={put} />
        {#if onlist}<SpanList onuse={(list) => ((open = false), onlist(list))} />{/if}
        <h3 class="label mt-2">or a named span</h3>
        {#if (spans.data?.length ?? 0) > most}<input
            class="field mb-1"
            type="search"
            placeholder="search"
            aria-label="Search the named spans"
            bind:value={search}
          />{/if}
        <div>
          {#each fitting.slice(0, most) as s (s.definition.name)}
            {@const on = over.includes('@' + s.definition.name)}
            <button
              class={[
                'flex w-full items-baseline gap-2 rounded-md px-2 py-1 text-left hover:bg-ahead',
                on && 'text-inside',
              ]}
              aria-pressed={on}
              onclick={() => put('@' + s.definition.name)}
            >
              <span class="font-semibold">{s.definition.name}</span><span class="truncate text-2xs text-quiet"
                >{s.definition.is}</span
              >
            </button>
          {/each}
          {#if fitting.length > most}<p class="px-2 py-1 text-2xs text-quiet">
              and {(fitting.length - most).toLocaleString('en')} more: search to find them
            </p>{/if}
        </div>
      </Popover.Content>
    </Popover.Portal>
  </Popover.Root>
</div>
