<script lang="ts">
  import LayoutPanelTop from '@lucide/svelte/icons/layout-panel-top'
  import { Popover } from 'bits-ui'
  import { nameOf, useBriefs, useSaveBrief, type Item } from './briefs'
  import { carried } from '../../lib/address.svelte'
  import Select from '../../ui/Select.svelte'

  // Puts what a page shows on a brief, an old one or a new one.
  let {
    kinds,
    make,
  }: { kinds: { value: Item['kind']; label: string }[]; make: (kind: Item['kind'], title: string) => Item } = $props()

  const briefs = useBriefs()
  const save = useSaveBrief()
  let open = $state(false)
  let kind = $state('')
  let title = $state('')
  let into = $state('new')
  let newTitle = $state('')
  let trouble = $state('')
  let done = $state('')

  const chosenKind = $derived((kinds.find((k) => k.value === kind) ?? kinds[0])?.value ?? 'table')
  const ready = $derived(title.trim() !== '' && (into !== 'new' || newTitle.trim() !== ''))

  async function add() {
    trouble = ''
    const item = make(chosenKind, title.trim())
    const have = briefs.data?.find((b) => b.definition.name === into)
    const definition = have
      ? { ...have.definition, items: [...have.definition.items, item] }
      : { name: nameOf(newTitle), title: newTitle.trim(), items: [item] }
    try {
      await save(definition, have?.version ?? 0, `${item.title} added`)
      done = definition.name
    } catch (e) {
      trouble = (e as Error).message
    }
  }
</script>

<Popover.Root bind:open onOpenChange={() => ((done = ''), (trouble = ''))}>
  <Popover.Trigger class="button for-analyst"
    ><LayoutPanelTop class="size-3.5" aria-hidden="true" />Add to a brief</Popover.Trigger
  >
  <Popover.Portal>
    <Popover.Content class="card z-40 w-[min(22rem,94vw)] p-3 shadow-lg" sideOffset={4} align="end">
      {#if done}
        <p class="mb-2">It is on the brief.</p>
        <a class="button button-strong" href={`/brief/${done}${carried()}`}>Open it</a>
      {:else}
        <form
          class="grid gap-2.5"
          onsubmit={(e) => {
            e.preventDefault()
            if (ready) void add()
          }}
        >
          {#if kinds.length > 1}<Select
              label="As"
              wide
              value={chosenKind}
              options={kinds}
              onchoose={(v) => (kind = v)}
            />{/if}
          <div>
            <label class="label" for="brief-item-title">Title</label><input
              id="brief-item-title"
              class="field"
              bind:value={title}
              maxlength="400"
              autocomplete="off"
            />
          </div>
          <Select
            label="Brief"
            wide
            value={into}
            options={[
              ...(briefs.data ?? []).map((b) => ({ value: b.definition.name, label: b.definition.title })),
              { value: 'new', label: 'a new brief' },
            ]}
            onchoose={(v) => (into = v)}
          />
          {#if into === 'new'}<div>
              <label class="label" for="brief-new-title">Title of the brief</label><input
                id="brief-new-title"
                class="field"
                bind:value={newTitle}
                maxlength="400"
                autocomplete="off"
              />
            </div>{/if}
          {#if trouble}<p class="text-worse" role="alert">{trouble}</p>{/if}
          <div class="flex justify-end"><button class="button button-strong" disabled={!ready}>Add</button></div>
        </form>
      {/if}
    </Popover.Content>
  </Popover.Portal>
</Popover.Root>
