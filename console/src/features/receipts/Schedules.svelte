<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query'
  import Plus from '@lucide/svelte/icons/plus'
  import X from '@lucide/svelte/icons/x'
  import { Popover } from 'bits-ui'
  import { api, succeed, data } from '../../api/client'
  import { everything, useAsOf, useCalendars } from '../../api/queries'
  import { long } from '../../lib/days'
  import Select from '../../ui/Select.svelte'
  import { nameOf, useBriefs } from '../briefs/briefs'
  import Expression from '../spans/Expression.svelte'

  const briefs = useBriefs()
  const calendars = useCalendars()
  const asOf = useAsOf()
  const client = useQueryClient()
  const schedules = createQuery(() => ({
    queryKey: ['schedules'],
    queryFn: async () => data(await api.GET('/schedules', everything)),
  }))

  let open = $state(false)
  let brief = $state('')
  let days = $state('first business day of this month')
  let calendar = $state('civil')
  let error = $state<Error | null>(null)
  const chosen = $derived(brief || (briefs.data?.[0]?.definition.name ?? ''))

  async function attempt(work: () => Promise<void>) {
    error = null
    try {
      await work()
      await client.invalidateQueries({ queryKey: ['schedules'] })
    } catch (e) {
      error = e as Error
    }
  }
  const add = () =>
    attempt(async () => {
      const body = { name: nameOf(`${chosen} ${days}`), brief: chosen, days, calendar }
      succeed(await api.POST('/schedules', { body }))
      open = false
    })
  const drop = (name: string) =>
    attempt(async () => succeed(await api.DELETE('/schedules/{name}', { params: { path: { name } } })))
</script>

<section class="card mt-3.5 p-4" aria-label="Schedules">
  <div class="mb-2 flex flex-wrap items-center gap-2">
    <h2 class="font-semibold">Schedules</h2>
    <span class="text-quiet">a receipt on each day that a span holds; missed days are caught up, once each</span>
    <Popover.Root bind:open>
      <Popover.Trigger class="button ml-auto" disabled={(briefs.data?.length ?? 0) === 0}
        ><Plus class="size-3.5" aria-hidden="true" />Schedule</Popover.Trigger
      >
      <Popover.Portal>
        <Popover.Content class="card z-40 w-[min(26rem,94vw)] p-3 shadow-lg" sideOffset={4} align="end">
          <div class="grid gap-2.5">
            <Select
              label="Brief"
              wide
              value={chosen}
              options={(briefs.data ?? []).map((b) => ({ value: b.definition.name, label: b.definition.title }))}
              onchoose={(v) => (brief = v)}
            />
            <div>
              <Expression
                id="schedule-days"
                label="On the days of"
                bind:value={days}
                context={asOf.context}
                own={calendar}
                cautions={false}
              />
            </div>
            <Select
              label="Calendar"
              wide
              value={calendar}
              options={(calendars.data ?? []).map((c) => ({
                value: c.definition.name,
                label: c.definition.name,
                hint: c.definition.about ?? c.layout,
              }))}
              onchoose={(v) => (calendar = v)}
            />
            {#if error}<p class="text-worse" role="alert">{error.message}</p>{/if}
            <div class="flex justify-end"><button class="button button-strong" onclick={add}>Save</button></div>
          </div>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  </div>
  <ul data-schedules>
    {#each schedules.data?.items ?? [] as s (s.name)}
      <li class="flex flex-wrap items-baseline gap-x-3 border-t border-line/60 py-2">
        <b class="font-semibold">{s.brief}</b>
        <code class="font-mono text-[0.75rem]">{s.days}</code>
        <span class="text-quiet"
          >in {s.calendar}; {s.next ? `next on ${long(s.next)}` : 'not due within two years'}</span
        >
        <button class="chip ml-auto" onclick={() => drop(s.name)} aria-label={`Remove the schedule ${s.name}`}
          ><X class="size-3" /></button
        >
      </li>
    {:else}<li class="text-quiet">There is none.</li>{/each}
  </ul>
</section>
