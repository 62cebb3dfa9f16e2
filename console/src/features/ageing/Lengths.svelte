<script lang="ts">
  import type { Schemas } from '../../api/client'
  import { formatNumber, formatPercent, formatRounded } from '../../lib/numbers'
  import { labelText, wordsOf } from '../../lib/query'
  import { scrolls } from '../../ui/scrolls'

  // How long the records of each value of the category last, and all of them.
  let { answer, bare = false }: { answer: Schemas['AgeingAnswer']; bare?: boolean } = $props()

  type Group = Schemas['AgeingGroup']
  const shown = (v: string | null) => (v === null ? '–' : formatNumber(v))
  const mean = (v: string | null) => (v === null ? '–' : formatRounded(v, 2))
  const percent = (v: string | null) => (v === null ? '–' : formatPercent(v))
  const lengthsOf = (words: string, pick: (g: Group) => Schemas['AgeingLengths']) => [
    { title: `mean ${words}`, of: (g: Group) => mean(pick(g).mean) },
    { title: `median ${words}`, of: (g: Group) => shown(pick(g).median) },
    { title: `90th percentile ${words}`, of: (g: Group) => shown(pick(g).percentile_90) },
    { title: `longest ${words}`, of: (g: Group) => shown(pick(g).longest) },
  ]
  // Closed records have lengths, open ones ages; neither is set if none is asked about.
  const columns = $derived([
    ...(answer.only === 'open' ? [] : lengthsOf('of closed', (g) => g.closed_lengths)),
    ...(answer.only === 'closed' ? [] : lengthsOf('age of open', (g) => g.open_ages)),
    ...(answer.within === undefined || answer.only === 'open'
      ? []
      : [
          { title: `closed within ${answer.within} ${answer.unit}`, of: (g: Group) => percent(g.within_share) },
          { title: `of those older than ${answer.within}`, of: (g: Group) => percent(g.due_share) },
        ]),
  ])
</script>

<section {@attach scrolls} class={bare ? 'mt-1 overflow-x-auto' : 'card mb-3.5 overflow-x-auto'} aria-label="Lengths">
  <table class="w-full" data-lengths>
    <thead>
      <tr class="border-b border-line text-left text-quiet">
        {#if answer.by}<th class="px-3 py-2 font-normal" scope="col">{wordsOf(answer.by)}</th>{/if}
        {#each ['records', 'open', 'closed'] as name (name)}
          <th class="px-3 py-2 text-right font-normal" scope="col">{name}</th>
        {/each}
        {#each columns as c (c.title)}
          <th class="px-3 py-2 text-right font-normal" scope="col">{c.title}</th>
        {/each}
      </tr>
    </thead>
    <tbody>
      {#each answer.groups as g, i (i)}
        {@const last = i === answer.groups.length - 1}
        <tr
          class={[
            'border-b border-line/60 last:border-0',
            last && answer.by && 'border-t border-t-quiet font-semibold',
          ]}
        >
          {#if answer.by}<th class="px-3 py-2 text-left font-[inherit]" scope="row">{labelText(g.label)}</th>{/if}
          <td class="px-3 py-2 text-right tabular-nums" data-records>{g.records.toLocaleString('en')}</td>
          <td class="px-3 py-2 text-right tabular-nums">{g.open.toLocaleString('en')}</td>
          <td class="px-3 py-2 text-right tabular-nums">{g.closed.toLocaleString('en')}</td>
          {#each columns as c (c.title)}<td class="px-3 py-2 text-right tabular-nums">{c.of(g)}</td>{/each}
        </tr>
      {/each}
    </tbody>
  </table>
</section>
