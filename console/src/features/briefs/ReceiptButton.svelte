<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query'
  import ReceiptText from '@lucide/svelte/icons/receipt-text'
  import { Popover } from 'bits-ui'
  import { api, data, type Schemas } from '../../api/client'
  import { carried } from '../../lib/address.svelte'
  import { long } from '../../lib/days'

  // Creates a receipt of the brief as it is shown. A second press creates no second one.
  let {
    name,
    title,
    view,
    body,
  }: { name: string; title: string; view: Schemas['BriefView'] | undefined; body: Schemas['ViewRequest'] } = $props()

  const client = useQueryClient()
  let created = $state<{ id: number } | null>(null)
  let own = $state('')
  let error = $state<Error | null>(null)
  let key = $state('')

  function opened() {
    created = null
    own = ''
    error = null
    key = crypto.randomUUID()
  }
  async function create() {
    error = null
    const given = own.trim() ? { title: own.trim() } : {}
    const at = { ...body, ...(view ? { as_of: view.as_of } : {}) }
    try {
      created = data(
        await api.POST('/receipts', {
          params: { header: { 'Idempotency-Key': key } },
          body: { brief: name, view: at, ...given },
        }),
      )
      await client.invalidateQueries({ queryKey: ['receipts'] })
    } catch (e) {
      error = e as Error
    }
  }
</script>

<Popover.Root onOpenChange={opened}>
  <Popover.Trigger class="button for-analyst"
    ><ReceiptText class="size-3.5" aria-hidden="true" />Receipt</Popover.Trigger
  >
  <Popover.Portal>
    <Popover.Content class="card z-40 w-[min(22rem,94vw)] p-3 shadow-lg" sideOffset={4} align="end">
      {#if created}
        <p class="mb-2">Receipt {created.id} is created. It never changes.</p>
        <a class="button button-strong" href={`/receipt/${created.id}${carried()}`}>Open it</a>
      {:else}
        <p class="mb-2 text-quiet">
          Keeps this page as of {view ? long(view.as_of) : '…'}: days, definitions, figures.
        </p>
        <label class="label" for="receipt-title">Title</label>
        <div class="flex gap-2">
          <input
            id="receipt-title"
            class="field"
            bind:value={own}
            placeholder={title}
            maxlength="400"
            autocomplete="off"
          />
          <button class="button button-strong" onclick={create}>Create</button>
        </div>
        {#if error}<p class="mt-2 text-worse" role="alert">{error.message}</p>{/if}
      {/if}
    </Popover.Content>
  </Popover.Portal>
</Popover.Root>
