<script lang="ts">
  import type { Schemas } from '../lib/api'
  import { ranges } from '../lib/days'
  import { changeTone, groupLabel, marks, shownChange, shownDigits, shownShare, type FigureColumn, type TotalRow } from '../lib/question'
  import { param, setParam } from '../lib/state.svelte'

  // Totals as a list: a row for each span, unit and group, sorted within each span.
  let { total, columns, link }: { total: Schemas['Total']; columns: FigureColumn[]; link: (span: Schemas['SpanTotal'], row: TotalRow) => string } = $props()

  interface Line {
    span: Schemas['SpanTotal']
    row: TotalRow
    all: boolean
  }
  const withUnits = $derived(total.spans.some((s) => s.rows.some((r) => r.unit)))
  const shown = $derived(columns.filter((c) => c.head !== 'difference'))
  const sort = $derived(param('sort') ?? '')
  const lines = $derived.by(() => {
    const [name, direction] = sort.split(':')
    const column = columns.find((c) => c.name === name)
    return total.spans.flatMap((span) => {
      const own: Line[] = span.rows.map((row) => ({ span, row, all: false }))
      if (column) {
        const number = (l: Line) => Number(column.value(l.row) ?? -Infinity)
        own.sort((a, b) => (direction === 'up' ? number(a) - number(b) : number(b) - number(a)))
      }
      if (total.by.length > 0 || withUnits) own.push({ span, row: span.total, all: true })
      return own
    })
  })

  function sortBy(name: string) {
    const [now, direction] = sort.split(':')
    if (now !== name) setParam('sort', name + ':down')
    else setParam('sort', direction === 'down' ? name + ':up' : null)
  }
  const sorted = (name: string) => (sort === name + ':down' ? 'descending' : sort === name + ':up' ? 'ascending' : undefined)
  const cell = (c: FigureColumn, r: TotalRow) => (c.role === 'share' ? shownShare(c.value(r)) : shownDigits(c.value(r), c.figure))
</script>

<table class="w-full" data-total>
  <thead>
    <tr class="h-9 border-b border-line text-quiet">
      <th class="px-4 text-left font-normal">span</th>
      <th class="hidden px-3 text-left font-normal sm:table-cell">days</th>
      <th class="px-3 text-right font-normal"><abbr title="number of days" class="no-underline">n</abbr></th>
      {#if withUnits}<th class="px-3 text-left font-normal">unit</th>{/if}
      {#each total.by as c (c)}<th class="px-3 text-left font-normal">{c.replaceAll('_', ' ')}</th>{/each}
      {#each shown as c (c.name)}
        <th class="px-3 text-right font-normal whitespace-nowrap" aria-sort={sorted(c.name)}>
          <button class="hover:text-ink" onclick={() => sortBy(c.name)}>{c.head}{#if c.own && c.figure.unit}<span class="ml-1 text-2xs">{c.figure.unit}</span>{/if}<span aria-hidden="true">{sorted(c.name) === 'descending' ? ' ↓' : sorted(c.name) === 'ascending' ? ' ↑' : ''}</span></button>
        </th>
      {/each}
    </tr>
  </thead>
  <tbody>
    {#each lines as r, i (i)}
      {@const first = i === 0 || lines[i - 1]?.span !== r.span}
      <tr class={['h-9 hover:bg-ahead', first && i > 0 && 'border-t-2 border-line', !first && !r.all && 'border-t border-line/60', r.all && 'border-t border-quiet font-semibold', r.row.unit?.ahead && 'bg-ahead text-quiet']}>
        <th class="px-4 text-left font-semibold whitespace-nowrap" scope="row" title={r.span.expression}>
          {#if first}
            {r.span.expression.startsWith('@') ? r.span.expression.slice(1) : r.span.expression}
            <span class="block text-2xs font-normal text-quiet sm:hidden">{ranges(r.span.intervals)}</span>
          {:else}<span class="sr-only">{r.span.expression}</span>{/if}
        </th>
        <td class="hidden px-3 whitespace-nowrap text-quiet sm:table-cell">{first ? ranges(r.span.intervals) : ''}</td>
        <td class="px-3 text-right text-quiet">{first ? (r.span.days?.toLocaleString('en') ?? '∞') : ''}</td>
        {#if withUnits}
          <td class="px-3 whitespace-nowrap">
            {#if r.all}{total.by.length === 0 ? 'all' : ''}{:else}{r.row.unit?.label}<span class="ml-1.5 text-2xs text-quiet">{marks(r.row.unit)}</span>{/if}
          </td>
        {/if}
        {#each total.by as c, j (c)}<td class={['px-3 whitespace-nowrap', r.row.rest && j === 0 && 'text-quiet']}>{r.all ? (j === 0 ? 'all' : '') : groupLabel(total, r.row, j)}</td>{/each}
        {#each shown as c (c.name)}
          {#if c.own}
            <td class="px-3 text-right" data-figure={c.figure.name}>
              {#if r.row.rest}{cell(c, r.row)}{:else}<a class="hover:text-inside hover:underline" href={link(r.span, r.row)} title="The records behind this figure">{cell(c, r.row)}</a>{/if}
            </td>
          {:else if c.role === 'change'}
            {@const compared = c.comparison?.(r.row)}
            <td class={['px-3 text-right whitespace-nowrap', changeTone(compared, c.figure)]} title={compared?.difference ? `difference ${shownDigits(compared.difference, c.figure)}` : undefined} data-change={c.figure.name}>{compared ? shownChange(compared) : ''}</td>
          {:else}
            <td class="px-3 text-right text-quiet">{r.all && c.value(r.row) === null ? '' : cell(c, r.row)}</td>
          {/if}
        {/each}
      </tr>
    {:else}
      <tr><td class="p-6 text-center text-quiet" colspan={3 + total.by.length + shown.length}>No records lie in these days.</td></tr>
    {/each}
  </tbody>
</table>
