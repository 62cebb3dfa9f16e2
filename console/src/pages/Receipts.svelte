<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query'
  import Plus from '@lucide/svelte/icons/plus'
  import X from '@lucide/svelte/icons/x'
  import { Popover } from 'bits-ui'
  import Choice from '../components/Choice.svelte'
  import Expression from '../components/Expression.svelte'
  import TableTools from '../components/TableTools.svelte'
  import Trouble from '../components/Trouble.svelte'
  import { api, data } from '../lib/api'
  import { nameOf, useBriefs, useReceipts } from '../lib/briefs'
  import { long } from '../lib/days'
  import { useAsOf, useCalendars } from '../lib/queries'
  import { scrolls } from '../lib/scrolls'
  import { carried } from '../lib/state.svelte'

  const receipts = useReceipts()
  const briefs = useBriefs()
  const calendars = useCalendars()
  const asOf = useAsOf()
  const client = useQueryClient()
  const schedules = createQuery(() => ({ queryKey: ['schedules'], queryFn: async () => data(await api.GET('/schedules')) }))

  let open = $state(false)
  let brief = $state('')
  let on = $state('first business day of this month')
  let calendar = $state('civil')
  let trouble = $state<Error | null>(null)
  const chosen = $derived(brief || (briefs.data?.[0]?.definition.name ?? ''))

  async function add() {
    trouble = null
    try {
      const { error } = await api.POST('/schedules', { body: { name: nameOf(`${chosen} ${on}`), brief: chosen, on, calendar } })
      if (error) throw new Error(error.detail)
      open = false
      await client.invalidateQueries({ queryKey: ['schedules'] })
    } catch (e) {
      trouble = e as Error
    }
  }
  async function drop(name: string) {
    await api.DELETE('/schedules/{name}', { params: { path: { name } } })
    await client.invalidateQueries({ queryKey: ['schedules'] })
  }
  const made = (text: string) => new Date(text).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'short' })
  const csv = () => [['receipt', 'title', 'of', 'as_of', 'made_at', 'author', 'schedule', 'digest'], ...(receipts.data ?? []).map((r) => [String(r.id), r.title, r.subject, r.as_of, r.made_at, r.author, r.schedule ?? null, r.digest])]
</script>

<svelte:head><title>Receipts · Vast Span</title></svelte:head>

<div class="mb-2.5 flex flex-wrap items-center gap-3">
  <h1 class="text-xl font-semibold tracking-tight">Receipts</h1>
  <span class="text-quiet">what was reported, frozen</span>
  <div class="ml-auto"><TableTools rows={csv} /></div>
</div>

{#if receipts.isError}
  <Trouble error={receipts.error} again={() => void receipts.refetch()} />
{:else if receipts.isPending}
  <div class="card h-40 animate-pulse" aria-busy="true" aria-label="Loading the receipts"></div>
{:else if receipts.data.length === 0}
  <section class="card p-8 text-center">
    <h2 class="font-semibold">No receipt yet</h2>
    <p class="mt-1 text-quiet">Open a <a class="text-inside underline" href={'/briefs' + carried()}>brief</a> and press <b>Receipt</b>: what it says today can then always be told from what it says later.</p>
  </section>
{:else}
  <section class="card overflow-x-auto" {@attach scrolls}>
    <table class="w-full" data-receipts>
      <thead>
        <tr class="h-9 border-b border-line text-quiet">
          <th class="px-4 text-right font-normal">no.</th><th class="px-3 text-left font-normal">title</th><th class="px-3 text-left font-normal">of a</th><th class="px-3 text-left font-normal">as of</th><th class="px-3 text-left font-normal">made</th><th class="px-3 text-left font-normal">by</th><th class="px-3 text-left font-normal">digest</th>
        </tr>
      </thead>
      <tbody>
        {#each receipts.data as r (r.id)}
          <tr class="h-9 border-t border-line/60 hover:bg-ahead">
            <td class="px-4 text-right text-quiet">{r.id}</td>
            <td class="max-w-80 truncate px-3"><a class="font-semibold hover:text-inside hover:underline" href={`/receipt/${r.id}${carried()}`} title={r.title}>{r.title}</a></td>
            <td class="px-3 text-quiet">{r.subject}</td>
            <td class="px-3 whitespace-nowrap">{long(r.as_of)}</td>
            <td class="px-3 whitespace-nowrap text-quiet">{made(r.made_at)}</td>
            <td class="px-3 text-quiet">{r.schedule ? `schedule ${r.schedule}` : r.author}</td>
            <td class="px-3 font-mono text-2xs text-quiet">{r.digest.slice(0, 12)}</td>
          </tr>
        {/each}
      </tbody>
    </table>
  </section>
{/if}

<section class="card mt-3.5 p-4" aria-label="Schedules">
  <div class="mb-2 flex flex-wrap items-center gap-2">
    <h2 class="font-semibold">Schedules</h2>
    <span class="text-quiet">a receipt on each day that a span holds; days that were missed are made up, once each</span>
    <Popover.Root bind:open>
      <Popover.Trigger class="button ml-auto" disabled={(briefs.data?.length ?? 0) === 0}><Plus class="size-3.5" aria-hidden="true" />Schedule</Popover.Trigger>
      <Popover.Portal>
        <Popover.Content class="card z-40 w-[min(26rem,94vw)] p-3 shadow-lg" sideOffset={4} align="end">
          <div class="grid gap-2.5">
            <Choice label="Brief" wide value={chosen} options={(briefs.data ?? []).map((b) => ({ value: b.definition.name, label: b.definition.title }))} onchoose={(v) => (brief = v)} />
            <div><Expression id="schedule-on" label="On the days of" bind:value={on} reading={asOf.reading} own={calendar} cautions={false} /></div>
            <Choice label="Calendar" wide value={calendar} options={(calendars.data ?? []).map((c) => ({ value: c.name, label: c.name, hint: c.about }))} onchoose={(v) => (calendar = v)} />
            {#if trouble}<p class="text-worse" role="alert">{trouble.message}</p>{/if}
            <div class="flex justify-end"><button class="button button-strong" onclick={add}>Keep</button></div>
          </div>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  </div>
  <ul data-schedules>
    {#each schedules.data ?? [] as s (s.name)}
      <li class="flex flex-wrap items-baseline gap-x-3 border-t border-line/60 py-2">
        <b class="font-semibold">{s.brief}</b>
        <code class="font-mono text-[0.75rem]">{s.on}</code>
        <span class="text-quiet">in {s.calendar}; {s.next ? `next on ${long(s.next)}` : 'not due within two years'}</span>
        <button class="chip ml-auto" onclick={() => drop(s.name)} aria-label={`Remove the schedule ${s.name}`}><X class="size-3" /></button>
      </li>
    {:else}<li class="text-quiet">None is kept.</li>{/each}
  </ul>
</section>
