<script lang="ts" module>
  /** What a span begins as, where another one is duplicated. */
  export interface Draft {
    name: string
    is: string
    calendar: string
    about: string
  }
</script>

<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query'
  import { Dialog } from 'bits-ui'
  import { api, data } from '../../api/client'
  import { useResolve, type Context } from '../../api/queries'
  import { asOfTime, moveAsOf } from '../../lib/address.svelte'
  import { ranges } from '../../lib/days'
  import { extent, size } from '../../lib/moments'
  import { countDays } from '../../lib/numbers'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'
  import Blocks from './Blocks.svelte'
  import Dayline, { type Line } from './Dayline.svelte'
  import Expression from './Expression.svelte'
  import OwnCalendar from './OwnCalendar.svelte'

  // Names a span: its name, its expression, by blocks or typed, and the days that it gives on the line of days. from is what
  // it begins as, where another span is duplicated.
  let {
    open = $bindable(),
    asOf,
    context,
    from,
    ondone,
  }: {
    open: boolean
    asOf: string
    context: Context | null
    from: Draft | null
    ondone: (name: string) => void
  } = $props()

  const client = useQueryClient()
  let name = $state('')
  let is = $state('')
  let own = $state('')
  let about = $state('')
  let error = $state<Error | null>(null)
  let busy = $state(false)
  $effect(() => {
    if (!open) return
    name = from?.name ?? ''
    is = from?.is ?? ''
    own = from?.calendar ?? ''
    about = from?.about ?? ''
    error = null
  })

  let settled = $state('')
  $effect(() => {
    const text = is
    const wait = setTimeout(() => (settled = text), 120)
    return () => clearTimeout(wait)
  })
  const resolved = useResolve(
    () => (settled.trim() === '' ? [] : [settled]),
    () => (context === null ? null : { ...context, calendar: own || context.calendar }),
  )
  const found = $derived(settled.trim() === '' ? undefined : resolved.data?.resolutions[0])
  const line = $derived<Line>({
    name: name || 'new span',
    is: found?.error ? 'not yet read' : (found?.expression ?? ''),
    intervals: found?.error ? [] : (found?.intervals ?? []),
    moments: found?.error ? undefined : found?.moments,
    days: found?.error ? null : (found?.days ?? null),
    counterpart: [],
    error: found?.error?.message ?? null,
    pending: found === undefined,
  })
  const ready = $derived(name.trim() !== '' && is.trim() !== '' && !found?.error && !busy)

  async function save() {
    if (!ready) return
    busy = true
    error = null
    try {
      const body = {
        name: name.trim().toLowerCase(),
        is,
        calendar: own || undefined,
        about: about || undefined,
        tags: [],
      }
      const s = data(await api.POST('/spans', { body }))
      await client.invalidateQueries({ queryKey: ['spans'] }) // it is listed before the dialog goes
      open = false
      ondone(s.definition.name)
      void client.invalidateQueries()
    } catch (e) {
      error = e as Error
    } finally {
      busy = false
    }
  }
  // Its height, and that of what is read of an expression, are their own: no button moves from under the pointer.
  const sheet =
    'card fixed top-1/2 left-1/2 z-50 flex h-[min(48rem,94vh)] w-[min(54rem,96vw)] -translate-x-1/2 -translate-y-1/2 flex-col shadow-xl'
</script>

<Dialog.Root bind:open>
  <Dialog.Portal>
    <Dialog.Overlay class="fixed inset-0 z-40 bg-black/40" />
    <Dialog.Content class={sheet} data-new-span>
      <Dialog.Title class="px-5 pt-5 pb-3 text-base font-semibold"
        >{from ? 'Duplicate a span' : 'New span'}</Dialog.Title
      >
      <form
        class="flex min-h-0 flex-1 flex-col"
        onsubmit={(e) => {
          e.preventDefault()
          void save()
        }}
      >
        <div class="min-h-0 flex-1 overflow-y-auto px-5 pt-1 pb-3">
          <div class="grid gap-3 sm:grid-cols-[14rem_1fr]">
            <div>
              <label class="label" for="new-name">Name</label>
              <!-- svelte-ignore a11y_autofocus -->
              <input
                id="new-name"
                class="field min-h-9"
                bind:value={name}
                autofocus
                placeholder="closed-month"
                spellcheck="false"
                autocomplete="off"
                maxlength="60"
              />
            </div>
            <div class="sm:min-h-34"><Expression id="new-is" label="Is" bind:value={is} {context} {own} /></div>
          </div>
          <div class="mt-1 border-t border-line/60 pt-3"><Blocks bind:value={is} /></div>
          <div class="mt-3 grid gap-3 sm:grid-cols-[14rem_1fr]">
            <div>
              <OwnCalendar bind:own />
            </div>
            <div>
              <label class="label" for="new-about">What it is for</label>
              <input id="new-about" class="field min-h-9" bind:value={about} autocomplete="off" />
            </div>
          </div>
          <div class="mt-4">
            <Dayline
              lines={[line]}
              {asOf}
              chosen={null}
              reach="year"
              time={asOfTime()}
              onchoose={() => {}}
              onmove={moveAsOf}
              onhour={() => {}}
            />
            <p class="mt-1.5 min-h-5 text-quiet" data-new-days>
              {#if found && !found.error}
                {#if found.moments}{extent(found)} {size(found)}{:else}{ranges(found.intervals)}{found.days === null
                    ? ''
                    : `, ${countDays(found.days)}`}{/if}
              {/if}
            </p>
          </div>
        </div>
        {#if error}<div class="px-5 py-2"><ErrorPanel {error} mend={(_, e) => (is = e)} /></div>{/if}
        <div class="flex items-center gap-2 border-t border-line/60 px-5 py-3">
          <button class="button button-strong" disabled={!ready}>Add span</button>
          <Dialog.Close class="button">Cancel</Dialog.Close>
        </div>
      </form>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
