<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query'
  import Plus from '@lucide/svelte/icons/plus'
  import X from '@lucide/svelte/icons/x'
  import { Popover } from 'bits-ui'
  import { api, succeed, data } from '../../api/client'
  import { all, useAsOf, useCalendars } from '../../api/queries'
  import { long } from '../../lib/days'
  import { ask } from '../../ui/ask.svelte'
  import Select from '../../ui/Select.svelte'
  import { may, useSession } from '../access/session'
  import { nameOf, useBriefs } from '../briefs/briefs'
  import Expression from '../spans/Expression.svelte'

  const session = useSession()
  const briefs = useBriefs()
  const calendars = useCalendars()
  const asOf = useAsOf()
  const client = useQueryClient()
  const schedules = createQuery(() => ({
    queryKey: ['schedules'],
    queryFn: () => all(async (query) => data(await api.GET('/schedules', { params: { query } }))),
  }))

  const means = createQuery(() => ({
    queryKey: ['delivery-means'],
    queryFn: async () => data(await api.GET('/deliveries/means')),
  }))
  const deliveries = createQuery(() => ({
    queryKey: ['deliveries'],
    queryFn: async () => data(await api.GET('/deliveries', { params: { query: { limit: 20 } } })),
    refetchInterval: 15_000,
    enabled: may(session.data, 'analyst'),
  }))
  type Target = { to: 'folder' | 'webhook' | 'mail'; address: string; formats: string[] }
  let targets = $state<Target[]>([])
  const hints = { folder: 'reports', webhook: 'https://example.org/hook', mail: 'quay@example.org' } as const
  const ways = $derived(means.data?.targets.filter((t) => !t.missing) ?? [])
  const missing = $derived(means.data?.targets.flatMap((t) => (t.missing ? [t.missing] : [])) ?? [])
  const put = (t: Target, format: string) =>
    (t.formats = t.formats.includes(format) ? t.formats.filter((f) => f !== format) : [...t.formats, format])

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
      const deliver = targets.map((t) => (t.to === 'webhook' ? { to: t.to, address: t.address } : t))
      const body = { name: nameOf(`${chosen} ${days}`), brief: chosen, days, calendar, deliver }
      succeed(await api.POST('/schedules', { body }))
      open = false
      targets = []
    })
  const retry = (id: number) =>
    attempt(async () => {
      succeed(await api.POST('/deliveries/{id}/retry', { params: { path: { id } } }))
      await client.invalidateQueries({ queryKey: ['deliveries'] })
    })
  async function remove(name: string) {
    const sure = await ask({
      title: `Remove schedule ${name}?`,
      text: 'No more receipts are created for it. Receipts that exist are kept.',
      action: 'Remove the schedule',
    })
    if (!sure) return
    await attempt(async () => succeed(await api.DELETE('/schedules/{name}', { params: { path: { name } } })))
  }
</script>

<section class="card mt-3.5 p-4" aria-label="Schedules">
  <div class="mb-2 flex flex-wrap items-center gap-2">
    <h2 class="font-semibold">Schedules</h2>
    <span class="text-quiet">a receipt on each day that a span holds; missed days are caught up, once each</span>
    <Popover.Root bind:open>
      <Popover.Trigger class="button for-administrator ml-auto" disabled={(briefs.data?.length ?? 0) === 0}
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
            <fieldset class="grid gap-2 border-t border-line/60 pt-2" data-targets>
              <legend class="label">Brought to</legend>
              {#each targets as t, i (i)}
                <div class="grid gap-1.5">
                  <div class="flex items-center gap-1.5">
                    <span class="w-16 text-quiet">{t.to}</span>
                    <input
                      class="field"
                      aria-label={`Where the ${t.to} is`}
                      placeholder={hints[t.to]}
                      bind:value={t.address}
                    />
                    <button class="chip" aria-label={`Not to the ${t.to}`} onclick={() => targets.splice(i, 1)}
                      ><X class="size-3" /></button
                    >
                  </div>
                  {#if t.to !== 'webhook'}
                    <div class="flex flex-wrap gap-1 pl-17">
                      {#each means.data?.formats ?? [] as f (f)}
                        <button
                          class={['chip', t.formats.includes(f) && 'chip-on']}
                          aria-pressed={t.formats.includes(f)}
                          onclick={() => put(t, f)}>{f}</button
                        >
                      {/each}
                    </div>
                  {/if}
                </div>
              {/each}
              <div class="flex flex-wrap gap-1.5">
                {#each ways as w (w.to)}
                  <button
                    class="chip text-quiet hover:text-ink"
                    onclick={() => targets.push({ to: w.to, address: '', formats: w.to === 'webhook' ? [] : ['xlsx'] })}
                    ><Plus class="size-3" aria-hidden="true" />{w.to}</button
                  >
                {/each}
              </div>
              {#each missing as text (text)}<p class="text-2xs text-quiet">{text}</p>{/each}
              {#if means.data && !means.data.formats.includes('pdf')}<p class="text-2xs text-quiet">
                  PDF needs Chromium, which is not installed where the service runs.
                </p>{/if}
            </fieldset>
            {#if error}<p class="text-worse" role="alert">{error.message}</p>{/if}
            <div class="flex justify-end"><button class="button button-strong" onclick={add}>Save</button></div>
          </div>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  </div>
  <ul data-schedules>
    {#each schedules.data ?? [] as s (s.name)}
      <li class="flex flex-wrap items-baseline gap-x-3 border-t border-line/60 py-2">
        <b class="font-semibold">{s.brief}</b>
        <code class="font-mono text-[0.75rem]">{s.days}</code>
        <span class="text-quiet"
          >in {s.calendar}; {s.next ? `next on ${long(s.next)}` : 'not due within two years'}</span
        >
        {#each s.deliver as t (t.to + t.address)}
          <span class="chip text-2xs">{t.to} {t.address} {(t.formats ?? []).join(', ')}</span>
        {/each}
        <button
          class="chip for-administrator ml-auto"
          onclick={() => void remove(s.name)}
          aria-label={`Remove the schedule ${s.name}`}><X class="size-3" /></button
        >
      </li>
    {:else}<li class="text-quiet">None.</li>{/each}
  </ul>
  {#if (deliveries.data?.items.length ?? 0) > 0}
    <h3 class="mt-3 mb-1 font-semibold">Deliveries</h3>
    <table class="w-full" data-deliveries>
      <tbody>
        {#each deliveries.data?.items ?? [] as d (d.id)}
          <tr class="h-8 border-t border-line/60">
            <td class="pr-3 whitespace-nowrap text-quiet">receipt {d.receipt}</td>
            <td class="max-w-72 truncate px-3" title={d.target}>{d.target}</td>
            <td
              class={[
                'px-3 whitespace-nowrap',
                (d.state === 'failed' || d.state === 'uncertain') && 'font-semibold text-worse',
              ]}>{d.state}{d.tries > 1 ? `, ${d.tries} tries` : ''}</td
            >
            <td class="max-w-96 truncate px-3 text-quiet" title={d.reason}>{d.reason ?? ''}</td>
            <td class="pl-3 text-right"
              >{#if d.state === 'failed' || d.state === 'uncertain' || d.state === 'waiting'}<button
                  class="chip for-administrator"
                  onclick={() => void retry(d.id)}>Try again</button
                >{/if}</td
            >
          </tr>
        {/each}
      </tbody>
    </table>
  {/if}
</section>
