<script lang="ts">
  import ArrowLeft from '@lucide/svelte/icons/arrow-left'
  import ArrowRight from '@lucide/svelte/icons/arrow-right'
  import GripVertical from '@lucide/svelte/icons/grip-vertical'
  import Minus from '@lucide/svelte/icons/minus'
  import Plus from '@lucide/svelte/icons/plus'
  import X from '@lucide/svelte/icons/x'
  import { dragHandle, dragHandleZone } from 'svelte-dnd-action'
  import BriefItem from './BriefItem.svelte'
  import { pageOf, widthOf, type Item, type ItemView } from './briefs'

  // The items of a brief on a grid of 12 columns. While they are edited they are dragged, by mouse or by
  // touch, or arranged by keys.
  interface Props {
    name: string
    items: Item[]
    editing: boolean
    viewOf: (it: Item) => ItemView | undefined
    onchange: (items: Item[]) => void
    mend?: ((it: Item, pointer: string, expression: string) => void) | undefined
  }
  let { name, items, editing, viewOf, onchange, mend }: Props = $props()

  type Placed = { id: string; item: Item }
  let dragging = $state<Placed[] | null>(null)
  const placed = $derived(dragging ?? items.map((item, i) => ({ id: item.id ?? `new-${i}`, item })))

  function move(i: number, to: number) {
    if (to < 0 || to >= items.length) return
    const next = [...items]
    const [it] = next.splice(i, 1)
    if (it) next.splice(to, 0, it)
    onchange(next)
  }
  const change = (i: number, part: Partial<Item>) => onchange(items.map((it, j) => (j === i ? { ...it, ...part } : it)))
  const remove = (i: number) => onchange(items.filter((_, j) => j !== i))
  const resize = (i: number, it: Item, by: number) => change(i, { width: Math.min(12, Math.max(2, widthOf(it) + by)) })

  const itemClass = [
    'card min-w-0 break-inside-avoid p-4 outline-offset-2 print:p-2',
    'md:[grid-column:span_var(--columns)] print:[grid-column:span_var(--columns)]',
  ]

  let grid = $state<HTMLElement | null>(null)
  function focus(i: number) {
    setTimeout(() => grid?.querySelector<HTMLElement>(`[data-item="${i}"]`)?.focus())
  }
  // An item that has the focus is arranged by keys: arrows move it, + and − size it.
  function key(e: KeyboardEvent, i: number, it: Item) {
    if (!editing || (e.target as HTMLElement).closest('input, button')) return
    const by = { ArrowLeft: -1, ArrowUp: -1, ArrowRight: 1, ArrowDown: 1 }[e.key]
    const to = by && Math.min(items.length - 1, Math.max(0, i + by))
    if (to !== undefined) {
      move(i, to)
      focus(to)
    } else if (e.key === '+' || e.key === '=') resize(i, it, 1)
    else if (e.key === '-') resize(i, it, -1)
    else if (e.key === 'Delete') remove(i)
    else return
    e.preventDefault()
    e.stopPropagation()
  }
</script>

<div
  class="grid grid-cols-1 gap-3.5 md:grid-cols-12 print:grid-cols-12 print:gap-2"
  role="list"
  data-brief={name}
  bind:this={grid}
  use:dragHandleZone={{
    items: placed,
    dragDisabled: !editing,
    flipDurationMs: 0,
    dropTargetStyle: {},
    zoneTabIndex: -1,
  }}
  onconsider={(e) => (dragging = e.detail.items as Placed[])}
  onfinalize={(e) => {
    dragging = null
    onchange((e.detail.items as Placed[]).map((p) => p.item))
  }}
>
  {#each placed as { id, item: it }, i (id)}
    {@const v = viewOf(it)}
    <!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -- keys arrange it -->
    <div
      class={itemClass}
      style:--columns={widthOf(it)}
      role="listitem"
      aria-label={it.title}
      data-item={i}
      tabindex={editing ? 0 : undefined}
      onkeydown={(e) => key(e, i, it)}
    >
      {#if editing}
        <div class="mb-2 flex flex-wrap items-center gap-1">
          <span use:dragHandle class="cursor-grab touch-none" aria-label={`Drag ${it.title}`}>
            <GripVertical class="size-4 shrink-0 text-quiet" aria-hidden="true" />
          </span>
          <input
            class="field w-auto min-w-36 flex-1"
            value={it.title}
            oninput={(e) => change(i, { title: e.currentTarget.value })}
            aria-label={`Title of item ${i + 1}`}
            maxlength="400"
          />
          <span class="flex gap-1">
            <button
              class="chip"
              onclick={() => move(i, i - 1)}
              disabled={i === 0}
              aria-label={`Move ${it.title} forward`}
            >
              <ArrowLeft class="size-3" />
            </button>
            <button
              class="chip"
              onclick={() => move(i, i + 1)}
              disabled={i === items.length - 1}
              aria-label={`Move ${it.title} back`}
            >
              <ArrowRight class="size-3" />
            </button>
            <button class="chip" onclick={() => resize(i, it, -1)} aria-label={`Make ${it.title} narrower`}>
              <Minus class="size-3" />
            </button>
            <button class="chip" onclick={() => resize(i, it, 1)} aria-label={`Make ${it.title} wider`}>
              <Plus class="size-3" />
            </button>
            <button class="chip" onclick={() => remove(i)} aria-label={`Remove ${it.title}`}
              ><X class="size-3" /></button
            >
          </span>
        </div>
      {:else}
        {@const page = v ? pageOf(v) : null}
        <h2 class="line-clamp-2 font-semibold" title={it.title}>
          {#if page}<a class="hover:text-inside hover:underline" href={page} data-item-page>{it.title}</a
            >{:else}{it.title}{/if}
        </h2>
      {/if}
      {#if v}<BriefItem view={v} mend={mend && ((pointer, expression) => mend(it, pointer, expression))} />{:else}<div
          class="mt-2 h-16 animate-pulse rounded bg-ahead"
          aria-busy="true"
        ></div>{/if}
    </div>
  {/each}
</div>
