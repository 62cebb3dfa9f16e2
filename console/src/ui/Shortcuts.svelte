<script lang="ts">
  import Keyboard from '@lucide/svelte/icons/keyboard'
  import { Dialog } from 'bits-ui'
  import { carried } from '../lib/address.svelte'
  import { navigate, pages } from '../router'

  // Every key there is, and the keys that go from page to page.
  let open = $state(false)
  let waiting = $state(false)
  const sheetClass = [
    'card fixed top-1/2 left-1/2 z-50 max-h-[90vh] w-[min(40rem,94vw)] overflow-y-auto p-5 shadow-xl',
    '-translate-x-1/2 -translate-y-1/2',
  ]
  const keyed = pages.flatMap((group) => group.pages)
  const sheet: { title: string; keys: [string, string][] }[] = [
    {
      title: 'The as-of day',
      keys: [
        ['← →', 'a day back, a day on'],
        ['Shift ← →', 'a month back, a month on'],
      ],
    },
    { title: 'Pages: g, then', keys: keyed.map((p): [string, string] => [p.key, p.name]) },
    {
      title: 'A brief while it is edited',
      keys: [
        ['Tab', 'to the next item'],
        ['← → ↑ ↓', 'move the item'],
        ['+ −', 'wider, narrower'],
        ['Delete', 'take it off'],
      ],
    },
    {
      title: 'Anywhere',
      keys: [
        ['?', 'this sheet'],
        ['Esc', 'close what is open'],
      ],
    },
  ]

  function key(e: KeyboardEvent) {
    if (e.ctrlKey || e.metaKey || e.altKey || e.defaultPrevented) return
    if ((e.target as HTMLElement).closest('input, textarea, select, [role="dialog"], [role="listbox"]')) return
    if (e.key === '?') {
      open = true
      e.preventDefault()
      return
    }
    const page = waiting ? keyed.find((p) => p.key === e.key) : undefined
    if (page) {
      waiting = false
      e.preventDefault()
      void navigate(page.path as '/', { search: carried().slice(1) })
    } else {
      waiting = e.key === 'g'
      if (waiting) setTimeout(() => (waiting = false), 1500)
    }
  }
</script>

<svelte:window onkeydown={key} />
<Dialog.Root bind:open>
  <Dialog.Trigger
    class="ml-auto flex items-center gap-2 rounded-lg px-2.5 py-1.5 text-quiet hover:bg-ahead md:mt-1 md:ml-0"
    ><Keyboard class="size-4" aria-hidden="true" /><span class="hidden md:inline">Shortcuts</span><span
      class="sr-only md:hidden">Shortcuts</span
    ></Dialog.Trigger
  >
  <Dialog.Portal>
    <Dialog.Overlay class="fixed inset-0 z-40 bg-black/40" />
    <Dialog.Content class={sheetClass}>
      <Dialog.Title class="mb-3 text-base font-semibold">Shortcuts</Dialog.Title>
      <div class="grid gap-x-8 gap-y-4 sm:grid-cols-2" data-shortcuts>
        {#each sheet as part (part.title)}
          <section>
            <h3 class="label">{part.title}</h3>
            <dl class="grid grid-cols-[6rem_1fr] gap-y-1">
              {#each part.keys as [k, does] (k)}
                <dt><kbd class="chip min-h-5 font-mono text-2xs">{k}</kbd></dt>
                <dd>{does}</dd>
              {/each}
            </dl>
          </section>
        {/each}
      </div>
      <Dialog.Close class="button mt-4">Close</Dialog.Close>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
