<script lang="ts">
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query'
  import { api, data, type Interval } from '../../api/client'
  import { long, ranges, totalDays } from '../../lib/days'
  import type { Context } from '../../api/queries'
  import { setAsOf } from '../../lib/address.svelte'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'

  // What a span will do on the coming days, squeezed to those on which it changes kind.
  let { expression, context, days = 400 }: { expression: string; context: Context | null; days?: number } = $props()

  const rehearsal = createQuery(() => {
    const r = context
    return {
      queryKey: ['rehearse', expression, days, r],
      queryFn: async () => data(await api.POST('/rehearse', { body: { expression, days, ...(r as Context) } })),
      enabled: r !== null,
      placeholderData: keepPreviousData,
    }
  })
  const total = (list: Interval[]) => totalDays(list) ?? '∞'
</script>

<section class="card overflow-hidden" aria-label="Rehearsal">
  <h2 class="px-4 pt-3.5 pb-2">
    <b class="font-semibold">Rehearsal</b>
    <span class="text-quiet">the next {days} as-of days; click one to stand on it</span>
  </h2>
  {#if rehearsal.isError}
    <div class="p-4"><ErrorPanel error={rehearsal.error} /></div>
  {:else}
    <div class="max-h-96 overflow-auto">
      <table class="w-full" data-rehearsal>
        <thead class="sticky top-0 bg-card">
          <tr class="h-8 border-b border-line text-quiet">
            <th class="px-4 text-left font-normal">as of</th>
            <th class="px-2 text-left font-normal">change</th>
            <th class="px-2 text-left font-normal whitespace-nowrap">then</th>
            <th class="px-2 text-right font-normal">period</th>
            <th class="pr-3 pl-2 text-right font-normal">days</th>
          </tr>
        </thead>
        <tbody>
          {#each rehearsal.data?.turns ?? [] as t (t.first_as_of)}
            <tr class="h-8 border-t border-line/60 hover:bg-ahead">
              <td class="pr-2 pl-4 whitespace-nowrap"
                ><button class="hover:text-asof" onclick={() => setAsOf(t.first_as_of)}>{long(t.first_as_of)}</button
                ></td
              >
              <td
                class={[
                  'px-2 whitespace-nowrap',
                  ['becomes empty', 'fails', 'jumps'].includes(t.change) && 'font-semibold text-worse',
                ]}>{t.change}</td
              >
              <td class="px-2 whitespace-nowrap text-quiet">{t.then}</td>
              <td class="px-2 text-right whitespace-nowrap">{t.error?.message ?? ranges(t.from)}</td>
              <td class="pr-3 pl-2 text-right whitespace-nowrap text-quiet"
                >{total(t.from)}{t.then !== 'stays' && total(t.to) !== total(t.from) ? ` → ${total(t.to)}` : ''}</td
              >
            </tr>
          {/each}
        </tbody>
      </table>
    </div>
  {/if}
</section>
