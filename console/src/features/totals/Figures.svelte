<script lang="ts">
  import Plus from '@lucide/svelte/icons/plus'
  import X from '@lucide/svelte/icons/x'
  import { Popover } from 'bits-ui'
  import type { Dataset } from '../../api/client'
  import { useFigureKinds } from '../../api/queries'
  import { wordsOf } from '../../lib/query'

  // The figures of a query: any way to put any amount together, and how many different values a
  // column has.
  let { dataset, figures, onchange }: { dataset: Dataset; figures: string[]; onchange: (figures: string[]) => void } =
    $props()

  const kinds = useFigureKinds()
  const rows = $derived(
    dataset.columns.map((c) => ({ column: c, kinds: kinds.of(c) })).sort((a, b) => b.kinds.length - a.kinds.length),
  )
  const put = (f: string) => onchange(figures.includes(f) ? figures.filter((x) => x !== f) : [...figures, f])
</script>

<div class="flex flex-wrap items-center gap-1.5" data-figures>
  {#each figures as f (f)}
    <span class="chip chip-on pr-0.5">
      {kinds.words(f)}
      <button
        class="rounded p-1 hover:bg-ahead"
        aria-label={`Leave ${kinds.words(f)} out`}
        onclick={() => onchange(figures.filter((x) => x !== f))}
        disabled={figures.length === 1}><X class="size-3" /></button
      >
    </span>
  {/each}
  <Popover.Root>
    <Popover.Trigger class="chip text-quiet hover:text-ink"
      ><Plus class="size-3" aria-hidden="true" />Figure</Popover.Trigger
    >
    <Popover.Portal>
      <Popover.Content
        class="card z-40 max-h-96 w-[min(42rem,94vw)] overflow-y-auto p-3 shadow-lg"
        sideOffset={4}
        align="start"
      >
        <button
          class={['chip mb-2', figures.includes('count') && 'chip-on']}
          aria-pressed={figures.includes('count')}
          onclick={() => put('count')}>count of records</button
        >
        {#each rows as r (r.column.name)}
          <div class="grid grid-cols-[7.5rem_1fr] items-baseline gap-1 border-t border-line/60 py-1.5">
            <span class="truncate"
              >{wordsOf(r.column.name)}{#if r.column.unit}<span class="ml-1 text-2xs text-quiet">{r.column.unit}</span
                >{/if}</span
            >
            <span class="flex flex-wrap gap-1">
              {#each r.kinds as k (k.kind)}
                {@const f = `${k.kind} ${r.column.name}`}
                <button
                  class={['chip', figures.includes(f) && 'chip-on']}
                  aria-pressed={figures.includes(f)}
                  onclick={() => put(f)}>{k.words}</button
                >
              {/each}
            </span>
          </div>
        {/each}
      </Popover.Content>
    </Popover.Portal>
  </Popover.Root>
</div>
