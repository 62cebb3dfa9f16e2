<script lang="ts">
  import DataTable from '../../ui/DataTable.svelte'
  import { outer } from '../../lib/days'
  import { outerTimes } from '../../lib/moments'
  import { useFigureKinds } from '../../api/queries'
  import { contextOf, driversPage, recordsPage } from '../../lib/links'
  import { crossedByTime } from '../../lib/query'
  import { scrolls } from '../../ui/scrolls'
  import LinesChart from '../lines/LinesChart.svelte'
  import Backlog from '../ageing/Backlog.svelte'
  import Bands from '../ageing/Bands.svelte'
  import Lengths from '../ageing/Lengths.svelte'
  import Bridge from '../drivers/Bridge.svelte'
  import BarsChart from './BarsChart.svelte'
  import { tellingOf, type ItemView } from './briefs'
  import FigureCard from './FigureCard.svelte'

  let { view, mend }: { view: ItemView; mend?: ((pointer: string, expression: string) => void) | undefined } = $props()
  const kinds = useFigureKinds()
  const answer = $derived(view.answer)
  const notes = $derived(
    view.lineup
      ? view.lineup.lines.flatMap((l) => tellingOf(l).map((n) => ({ ...n, text: `${l.label}: ${n.text}` })))
      : tellingOf(answer),
  )
</script>

{#if view.error}
  <p class="mt-1" role="status" data-item-error><b class="font-semibold text-worse">Cannot be shown</b> {view.error}</p>
  {#if mend && view.pointer && view.expression?.offers}
    {@const pointer = view.pointer}
    <p class="mt-1.5 flex flex-wrap gap-1.5 print:hidden" data-offers>
      {#each view.expression.offers as offer (offer)}
        <button class="chip font-mono hover:border-inside" onclick={() => mend(pointer, offer)}>{offer}</button>
      {/each}
    </p>
  {/if}
{:else if view.item.kind === 'figure'}
  <FigureCard {view} />
{:else if view.item.kind === 'lines' && view.lineup}
  <LinesChart
    lineup={view.lineup}
    planned={(view.item.lines ?? []).map((l) => l.planned ?? false)}
    title={view.item.title}
  />
{:else if view.item.kind === 'bars'}
  <BarsChart {view} />
{:else if view.ageing}
  <Lengths answer={view.ageing} bare />
  {#if (view.ageing.bands ?? '') !== ''}<Bands answer={view.ageing} bare />{/if}
  {#if view.ageing.each}<Backlog answer={view.ageing} bare />{/if}
{:else if view.drivers}
  {@const column = view.drivers.columns[0]?.name}
  <p class="mt-1 mb-2 font-semibold" data-sentence>{view.drivers.sentence}</p>
  {#if column}<Bridge drivers={view.drivers} {column} links={false} />{/if}
{:else if answer}
  {#if !answer.tables[0]?.across}<p class="text-quiet">
      {answer.spans.map((s) => (s.moments ? outerTimes(s.moments) : outer(s.intervals))).join('; ')}
    </p>{/if}
  {#each answer.tables as table, i (i)}
    <div class="overflow-x-auto" {@attach scrolls} data-brief-table>
      <DataTable
        {table}
        spans={answer.spans}
        {answer}
        link={(r, c) => recordsPage(answer, table, r, c, contextOf(answer.query), kinds.parse)}
        why={(r, c) => driversPage(answer, table, r, c, contextOf(answer.query), kinds.parse)}
        tight
        shades={crossedByTime(table)}
      />
    </div>
  {/each}
{/if}
{#each notes as n (n.text)}
  <p
    class={['mt-1 text-2xs', n.level === 'warning' ? 'font-semibold text-worse' : 'text-quiet']}
    data-note={n.code}
    data-unlike={n.code === 'not_like_for_like' ? '' : undefined}
  >
    {n.level === 'caution' ? 'Caution: ' : ''}{n.text}
  </p>
{/each}
