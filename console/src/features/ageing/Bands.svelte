<script lang="ts">
  import type { Schemas } from '../../api/client'
  import { formatNumber } from '../../lib/numbers'
  import { carried, joinList } from '../../lib/address.svelte'
  import { columnText, isValue } from '../../lib/filters'
  import { isAll, isOther, labelText, wordsOf } from '../../lib/query'
  import { scrolls } from '../../ui/scrolls'
  import ChartBox from '../../ui/ChartBox.svelte'
  import { navigate } from '../../router'

  // The bands of all records as bars, and those of each value of the category as a table.
  let { answer, bare = false }: { answer: Schemas['AgeingAnswer']; bare?: boolean } = $props()

  // The records of a band: the same length as a filter, open and closed as the as-of day has it.
  function recordsOf(band: string, label?: Schemas['Label']): string | null {
    const [, low, high] = /^(\d+)(?:-(\d+)|\+)?$/.exec(band) ?? []
    if (low === undefined || isOther(label)) return null
    const length = columnText(`${answer.unit} from ${answer.from} to ${answer.to}`)
    const where = [...(answer.where ?? [])]
    const to = columnText(answer.to)
    where.push(band.endsWith('+') ? `${length}>=${low}` : `${length} between ${low} and ${high ?? low}`)
    if (answer.only === 'open') where.push(`${to} blank or ${to} after ${answer.as_of}`)
    if (answer.only === 'closed') where.push(`${to}<=${answer.as_of}`)
    if (answer.by && label !== undefined && !isAll(label)) where.push(isValue(answer.by, label as string | null))
    const link = new URLSearchParams(carried())
    link.set('dataset', answer.dataset ?? '')
    link.set('over', answer.over || 'all dates')
    link.set('date', answer.from)
    link.set('where', joinList(where))
    return '/records?' + link.toString()
  }
  function open(at: number) {
    const to = recordsOf(all[at]?.band ?? '')
    if (to) void navigate('/records', { search: to.slice('/records?'.length) })
  }

  const all = $derived(answer.groups[answer.groups.length - 1]?.bands ?? [])
  const series = $derived([
    { label: 'records', role: 'inside' as const, values: all.map((b) => b.records), partial: all.map(() => false) },
  ])
</script>

<section class={bare ? 'mt-3' : 'card p-4'} aria-label="Bands" data-bands>
  <ChartBox
    kind="bars"
    title={`Records by ${answer.unit}`}
    labels={all.map((b) => b.band)}
    {series}
    future={-1}
    asOf={answer.as_of}
    height={220}
    onpick={open}
  />
  <div {@attach scrolls} class="mt-3 overflow-x-auto">
    <table class="w-full">
      <thead>
        <tr class="border-b border-line text-quiet">
          <th class="py-1.5 text-left font-normal" scope="col">{answer.by ? wordsOf(answer.by) : answer.unit}</th>
          {#each all as b (b.band)}<th class="py-1.5 pl-3 text-right font-normal" scope="col">{b.band}</th>{/each}
        </tr>
      </thead>
      <tbody>
        {#each answer.groups as g, i (i)}
          <tr class="border-b border-line/60">
            <th class="py-1.5 text-left font-normal" scope="row">{labelText(g.label)}</th>
            {#each g.bands ?? [] as b (b.band)}
              {@const to = b.records > 0 ? recordsOf(b.band, g.label) : null}
              <td class="py-1.5 pl-3 text-right tabular-nums" data-band={b.band}
                >{#if to}<a class="hover:text-inside hover:underline" href={to} title="The records of this band"
                    >{b.records.toLocaleString('en')}</a
                  >{:else}{b.records.toLocaleString('en')}{/if}</td
              >
            {/each}
          </tr>
        {/each}
        {#if answer.amount}
          <tr>
            <th class="py-1.5 text-left font-normal" scope="row">sum of {wordsOf(answer.amount)}</th>
            {#each all as b (b.band)}
              <td class="py-1.5 pl-3 text-right tabular-nums">{b.sum === null ? '–' : formatNumber(b.sum)}</td>
            {/each}
          </tr>
        {/if}
      </tbody>
    </table>
  </div>
</section>
