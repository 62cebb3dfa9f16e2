<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query'
  import { api, data } from '../../api/client'
  import { long } from '../../lib/days'
  import { scrolls } from '../../ui/scrolls'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'
  import { moment } from '../access/session'

  // The state of the service: datasets, slow questions, schedules.
  const state = createQuery(() => ({
    queryKey: ['service'],
    queryFn: async () => data(await api.GET('/service')),
    refetchInterval: 30_000,
  }))
  function bytes(n: number): string {
    const units = ['B', 'kB', 'MB', 'GB', 'TB']
    let at = 0
    while (n >= 1000 && at < units.length - 1) {
      n /= 1000
      at++
    }
    return `${n.toLocaleString('en', { maximumFractionDigits: at === 0 ? 0 : 1 })} ${units[at] ?? ''}`
  }
  const seconds = (s: number) => (s < 1 ? `${Math.round(s * 1000)} ms` : `${s.toFixed(1)} s`)
  const facts = $derived(
    state.data
      ? [
          { name: 'Version', text: state.data.version },
          { name: 'Running since', text: moment(state.data.since) },
          { name: 'Datasets', text: state.data.datasets.length.toLocaleString('en') },
          { name: 'Records', text: state.data.datasets.reduce((n, d) => n + d.records, 0).toLocaleString('en') },
          { name: 'Database', text: bytes(state.data.database_bytes) },
        ]
      : [],
  )
</script>

<svelte:head><title>Status · Vast Span</title></svelte:head>

<div class="mb-2.5 flex flex-wrap items-center gap-3">
  <h1 class="text-xl font-semibold tracking-tight">Status</h1>
  <span class="text-quiet">datasets, slow questions and schedules</span>
</div>
{#if state.isError}
  <ErrorPanel error={state.error} retry={() => void state.refetch()} />
{:else if state.data}
  <dl class="card grid grid-cols-2 gap-x-6 gap-y-3 p-4 sm:flex sm:flex-wrap sm:gap-x-12" data-facts>
    {#each facts as f (f.name)}
      <div>
        <dt class="text-2xs text-quiet">{f.name}</dt>
        <dd class="text-[1.0625rem] font-semibold tracking-tight">{f.text}</dd>
      </div>
    {/each}
  </dl>
  <section class="card mt-3.5 overflow-x-auto" aria-label="Datasets" {@attach scrolls}>
    <h2 class="px-4 pt-3 font-semibold">Datasets</h2>
    <table class="w-full" data-sizes>
      <thead>
        <tr class="text-right text-quiet">
          <th class="px-4 py-2 text-left font-normal">Name</th><th class="px-3 font-normal">Records</th>
          <th class="px-3 font-normal">Loads</th><th class="px-3 font-normal">Records size</th>
          <th class="px-3 font-normal">Past records size</th>
          <th class="px-3 font-normal">Columns size</th><th class="px-4 font-normal">Last load</th>
        </tr>
      </thead>
      <tbody>
        {#each state.data.datasets as d (d.name)}
          <tr class="h-9 border-t border-line/60 text-right">
            <td class="px-4 text-left font-semibold whitespace-nowrap"
              >{d.name}{#if d.database}<span class="ml-2 font-normal text-quiet">in {d.database}</span>{/if}</td
            >
            <td class={['px-3', d.trouble && 'text-worse']} title={d.trouble}
              >{d.trouble ? 'not known just now' : d.records.toLocaleString('en')}</td
            >
            <td class="px-3">{d.database ? '' : d.loads.toLocaleString('en')}</td>
            <td class="px-3 whitespace-nowrap">{d.database ? '' : bytes(d.bytes)}</td>
            <td class="px-3 whitespace-nowrap">{d.database ? '' : bytes(d.past_bytes)}</td>
            <td class="px-3 whitespace-nowrap">{d.database ? '' : bytes(d.columns_bytes)}</td>
            <td class="px-4 whitespace-nowrap text-quiet">{d.loaded_at ? moment(d.loaded_at) : ''}</td>
          </tr>
        {/each}
      </tbody>
    </table>
  </section>
  <div class="mt-3.5 grid grid-cols-1 items-start gap-3.5 lg:grid-cols-2">
    <section class="card overflow-x-auto pb-2" aria-label="Slow questions" {@attach scrolls}>
      <h2 class="px-4 pt-3 pb-1 font-semibold">
        Slowest questions <span class="font-normal text-quiet">since it was started, of 50 ms and more</span>
      </h2>
      <table class="w-full" data-slow>
        <tbody>
          {#each state.data.slow as q (q.request + q.at)}
            <tr class="h-8 border-t border-line/60">
              <td class="px-4 text-right font-semibold whitespace-nowrap">{seconds(q.seconds)}</td>
              <td class="px-3">{q.operation} <span class="text-quiet">{q.dataset ?? ''}</span></td>
              <td class="px-3 text-quiet">{q.account}</td>
              <td class="px-4 text-2xs whitespace-nowrap text-quiet" title={'request ' + q.request}>{moment(q.at)}</td>
            </tr>
          {:else}<tr><td class="px-4 py-3 text-quiet">None.</td></tr>{/each}
        </tbody>
      </table>
    </section>
    <section class="card overflow-x-auto pb-2" aria-label="Schedules" {@attach scrolls}>
      <h2 class="px-4 pt-3 pb-1 font-semibold">Schedules</h2>
      <table class="w-full" data-runs>
        <tbody>
          {#each state.data.schedules as s (s.name)}
            <tr class="border-t border-line/60 align-top">
              <td class="px-4 py-1.5"
                ><b class="font-semibold">{s.brief}</b>
                <code class="font-mono text-[0.75rem]">{s.days}</code>
                <span class="block text-2xs text-quiet">up to date through {long(s.through)}</span></td
              >
              <td class="px-4 py-1.5"
                >{#if s.receipt}<a class="text-inside underline" href={'/receipt/' + s.receipt}>receipt {s.receipt}</a>
                  <span class="text-quiet">{s.created_at ? moment(s.created_at) : ''}</span>
                  {#if s.deliveries}<span class={['block', s.failed ? 'font-semibold text-worse' : 'text-quiet']}
                      >{s.deliveries.join(', ')}</span
                    >{/if}{:else}<span class="text-quiet">no receipt yet</span>{/if}</td
              >
            </tr>
          {:else}<tr><td class="px-4 py-3 text-quiet">None.</td></tr>{/each}
        </tbody>
      </table>
    </section>
  </div>
{/if}
