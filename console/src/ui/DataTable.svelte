<script lang="ts">
  import { createWindowVirtualizer } from '@tanstack/svelte-virtual'
  import { untrack } from 'svelte'
  import type { Answer, AnswerSpan, Row, Table, TableColumn } from '../api/client'
  import { param, setParam } from '../lib/address.svelte'
  import { extent, size } from '../lib/moments'
  import { countDays, formatCell, toneOf } from '../lib/numbers'
  import { isAll, isFuture, isOther, labelText, spanName, wordsOf } from '../lib/query'

  // A table of an answer, as the service lays it out: totals as a list, a cross-tab, lines side by side.
  // Rows are sorted within their span. Where there is little room, the days of the spans are left out. Of a long table only
  // the rows in sight are in the page, unless it is printed.
  interface Props {
    table: Table
    spans?: AnswerSpan[]
    answer?: Answer
    link?: (row: Row, column: TableColumn) => string | null
    why?: (row: Row, column: TableColumn) => string | null // what a change is made of
    tight?: boolean
    sortable?: boolean
    beside?: { header: string[]; rows: string[][] } | undefined // what stands beside each span
    shades?: boolean // of a cross-tab: the greater a figure, the darker its cell
  }
  let {
    table,
    spans = [],
    answer,
    link,
    why,
    tight = false,
    sortable = false,
    shades = false,
    beside,
  }: Props = $props()

  const crossed = $derived(table.across !== undefined)
  const told = $derived(!crossed && (spans.length > 1 || (spans.length === 1 && !tight)))
  // Where a span has several rows, it and its days stand above them once.
  const grouped = $derived(told && (table.each !== undefined || table.by.length > 0))
  const withSpans = $derived(told && !grouped)
  const withDays = $derived(withSpans && !tight)
  const leads = $derived(withSpans ? 1 : (table.each ? 1 : 0) + table.by.length)
  // The columns that say what a row is stay in sight while the others scroll: the first ones, and of two the second beside
  // the first.
  let firstWidth = $state(0)
  const stays = (at: number) => (at < Math.min(2, leads) ? 'sticky z-10 bg-card group-hover:bg-ahead' : '')
  const leftOf = (at: number) => (at === 0 ? '0px' : `${firstWidth}px`)
  // Differences have their own column where there is room. Otherwise they are the tooltip of the change.
  const differences = $derived(!tight && !crossed)
  const shown = $derived(
    table.columns.map((column, at) => ({ column, at })).filter((c) => differences || c.column.role !== 'difference'),
  )
  const changeOfDifference = (at: number, row: Row) => {
    const before = table.columns[at - 1]
    if (differences || before?.role !== 'difference' || row.cells[at - 1] === null) return undefined
    return `difference ${formatCell(before, row.cells[at - 1])}`
  }

  const sort = $derived(sortable ? (param('sort') ?? '') : '')
  const rows = $derived.by(() => {
    const [id, direction] = sort.split(':')
    const at = table.columns.findIndex((c) => c.id === id)
    if (at < 0) return table.rows
    const value = (r: Row) => Number(r.cells[at] ?? -Infinity) * (direction === 'up' ? 1 : -1)
    const place = (r: Row) => (r.kind === 'group' ? 0 : r.kind === 'subtotal' ? 1 : 2)
    return [...table.rows].sort(
      (a, b) => a.span - b.span || place(a) - place(b) || (place(a) === 0 ? value(a) - value(b) : 0),
    )
  })
  function sortBy(id: string) {
    if (sort === id + ':down') setParam('sort', id + ':up')
    else setParam('sort', sort === id + ':up' ? null : id + ':down')
  }
  const sorted = (id: string) => (sort === id + ':down' ? 'descending' : sort === id + ':up' ? 'ascending' : undefined)
  const arrow = (id: string) => ({ descending: ' ↓', ascending: ' ↑', none: '' })[sorted(id) ?? 'none']

  const pad = $derived(tight ? 'pr-3' : 'px-3')
  const leadPad = $derived(tight ? pad : 'px-4') // of the column that leads
  const padRight = $derived(!tight ? 'px-3' : crossed ? 'px-2' : 'pl-3')
  const lengthOf = (s: AnswerSpan) => (s.moments ? size(s) : s.days === null ? '∞' : s.days.toLocaleString('en'))

  // Figures in shades: from nothing to the greatest, totals left out.
  const darkest = $derived(
    Math.max(
      0,
      ...table.rows
        .filter((r) => r.kind === 'group')
        .flatMap((r) => r.cells.filter((_, i) => !isAll(table.columns[i]?.group)).map((v) => Number(v ?? 0))),
    ),
  )
  function shadeOf(r: Row, c: TableColumn, value: string | null | undefined): string | undefined {
    if (!shades || r.kind !== 'group' || isAll(c.group) || darkest <= 0 || !value || Number(value) <= 0)
      return undefined
    return `color-mix(in oklab, var(--color-inside) ${Math.round((Number(value) / darkest) * 55)}%, transparent)`
  }

  const many = 200 // rows, beyond which those out of sight are left out
  let printing = $state(false)
  const partly = $derived(rows.length > many && !printing)
  const heightOf = (at: number) =>
    (shades ? 28 : 36) + (grouped && (at === 0 || rows[at - 1]?.span !== rows[at]?.span) ? 36 : 0)
  let body = $state<HTMLElement | null>(null)
  let top = $state(0) // of the rows, from the top of the page
  $effect(() => {
    if (!partly || !body) return
    const measure = () => (top = Math.round((body?.getBoundingClientRect().top ?? 0) + scrollY))
    const watch = new ResizeObserver(measure)
    watch.observe(document.body)
    return () => watch.disconnect()
  })
  const virtual = createWindowVirtualizer<HTMLTableRowElement>({ count: 0, estimateSize: () => 36, overscan: 30 })
  $effect(() => {
    const options = { count: partly ? rows.length : 0, estimateSize: heightOf, scrollMargin: top }
    untrack(() => {
      $virtual.setOptions(options)
      $virtual.measure()
    })
  })
  const inSight = $derived(partly ? $virtual.getVirtualItems() : [])
  const places = $derived(partly ? inSight.map((v) => v.index) : rows.map((_, i) => i))
  const above = $derived((inSight[0]?.start ?? top) - top)
  const below = $derived(partly ? $virtual.getTotalSize() - ((inSight.at(-1)?.end ?? top) - top) : 0)
  // The longest text of each column, so that columns keep their widths while rows come and go.
  const longest = (texts: string[]) => texts.reduce((a, b) => (b.length > a.length ? b : a), '')
  const widest = $derived(
    !partly
      ? null
      : {
          units: longest(rows.map((r) => r.unit?.label ?? '')),
          groups: table.by.map((_, j) => longest(rows.map((r) => labelText(r.group[j], answer)))),
          cells: shown.map(({ column, at }) => longest(rows.map((r) => formatCell(column, r.cells[at])))),
        },
  )

  const edge = (c: TableColumn) => crossed && isAll(c.group)
  // What the table is about: its figures, of lines that run their running values.
  const main = $derived(table.columns.some((c) => c.role === 'figure') ? 'figure' : 'running')
  const isPlain = (c: TableColumn) => c.role === main
</script>

<svelte:window onbeforeprint={() => (printing = true)} onafterprint={() => (printing = false)} />

<table class="w-full" data-table={table.figure ?? 'list'} aria-rowcount={partly ? rows.length : undefined}>
  {#if table.title}
    <caption class={[tight ? 'pb-1' : 'px-4 pt-3 pb-1', 'text-left']}>
      <b class="font-semibold">{wordsOf(table.title)}</b>
      {#if table.columns[0]?.unit && !wordsOf(table.title ?? '').includes(table.columns[0].unit)}<span
          class="ml-1 text-quiet">in {table.columns[0].unit}</span
        >{/if}
    </caption>
  {/if}
  <thead>
    <tr class="h-9 border-b border-line text-quiet">
      {#each withSpans ? (beside?.header ?? []) : [] as name (name)}<th class="px-4 text-left font-normal"
          >{wordsOf(name)}</th
        >{/each}
      {#if withSpans}<th
          class={[tight ? 'pr-3' : 'px-4', 'text-left font-normal', !beside && 'sticky left-0 z-10 bg-card']}>span</th
        >{/if}
      {#if withDays}
        <th class="hidden px-3 text-left font-normal sm:table-cell">period</th>
        <th class="px-3 text-right font-normal">{spans.some((s) => s.moments) ? 'length' : 'days'}</th>
      {/if}
      {#if table.each}<th
          class={[leadPad, 'text-left font-normal', stays(0)]}
          style:left={leftOf(0)}
          bind:clientWidth={firstWidth}>{table.each}</th
        >{/if}
      {#each table.by as c, j (c)}
        {@const at = j + (table.each ? 1 : 0)}
        {#if at === 0}<th
            class={[leadPad, 'text-left font-normal', stays(at)]}
            style:left={leftOf(at)}
            bind:clientWidth={firstWidth}>{wordsOf(c)}</th
          >{:else}<th class={[pad, 'text-left font-normal', stays(at)]} style:left={leftOf(at)}>{wordsOf(c)}</th>{/if}
      {/each}
      {#each shown as { column: c } (c.id)}
        <th
          class={[padRight, 'text-right font-normal whitespace-nowrap', edge(c) && 'border-l border-line']}
          aria-sort={sorted(c.id)}
        >
          {#snippet head()}
            {wordsOf(c.title)}{#if c.unit && isPlain(c) && !crossed && !wordsOf(c.title).endsWith(c.unit)}<span
                class="ml-1 text-2xs">{c.unit}</span
              >{/if}
          {/snippet}
          {#if sortable}
            <button class="hover:text-ink" onclick={() => sortBy(c.id)}>
              {@render head()}<span aria-hidden="true">{arrow(c.id)}</span>
            </button>
          {:else}{@render head()}{/if}
        </th>
      {/each}
    </tr>
  </thead>
  <tbody bind:this={body}>
    {#if widest}
      <tr class="invisible collapse" aria-hidden="true">
        {#if withSpans}<td></td>{/if}
        {#if withDays}<td class="hidden sm:table-cell"></td><td></td>{/if}
        {#if table.each}<td class={[leadPad, 'whitespace-nowrap font-semibold']}>{widest.units}</td>{/if}
        {#each widest.groups as text, j (j)}<td class={[pad, 'whitespace-nowrap font-semibold']}>{text}</td>{/each}
        {#each widest.cells as text, j (j)}<td class={[padRight, 'whitespace-nowrap font-semibold']}>{text}</td>{/each}
      </tr>
      <tr style:height={`${above}px`} aria-hidden="true"><td class="p-0" colspan={leads + shown.length}></td></tr>
    {/if}
    {#each places as i (rows[i]?.key)}
      {@const r = rows[i]!}
      {@const span = spans[r.span]}
      {@const first = i === 0 || rows[i - 1]?.span !== r.span}
      {@const sums = r.kind !== 'group'}
      {#if grouped && first && span}
        <tr class={['h-9', i > 0 && 'border-t-2 border-line']} data-span-head={r.span}>
          <th class="p-0 text-left font-normal" colspan={leads + shown.length} scope="rowgroup">
            <span class={['sticky left-0 inline-block', tight ? '' : 'px-4']} title={span.expression}>
              <b class="font-semibold">{spanName(span.expression)}</b>
              <span class="ml-2 text-quiet"
                >{extent(span)}{span.moments || span.days === null ? '' : `, ${countDays(span.days)}`}{span.moments
                  ? `, ${lengthOf(span)}`
                  : ''}</span
              >
              {#each beside?.header ?? [] as name, k (name)}
                {#if beside?.rows[r.span]?.[k]}<span class="ml-3 text-quiet"
                    >{wordsOf(name)} <span class="text-ink">{beside.rows[r.span]?.[k]}</span></span
                  >{/if}
              {/each}
            </span>
          </th>
        </tr>
      {/if}
      <tr
        class={[
          shades ? 'h-7' : 'h-9',
          'group hover:bg-ahead',
          first && i > 0 && !grouped && 'border-t-2 border-line',
          first && grouped && 'border-t border-line/60',
          !first && (sums ? 'border-t border-quiet' : 'border-t border-line/60'),
          sums && 'font-semibold',
          isFuture(r) && 'bg-ahead text-quiet',
        ]}
        data-row={r.key}
        aria-rowindex={partly ? i + 1 : undefined}
      >
        {#each withSpans ? (beside?.header ?? []) : [] as name, k (name)}
          <td class="px-4 whitespace-nowrap">{first ? (beside?.rows[r.span]?.[k] ?? '') : ''}</td>
        {/each}
        {#if withSpans && span}
          <th
            class={[
              tight ? 'pr-3' : 'px-4',
              'text-left font-semibold whitespace-nowrap',
              !beside && 'sticky left-0 z-10 bg-card group-hover:bg-ahead',
            ]}
            scope="row"
            title={span.expression}
          >
            {#if first}
              {spanName(span.expression)}
              {#if withDays}<span class="block text-2xs font-normal text-quiet sm:hidden">{extent(span)}</span>{/if}
            {:else}<span class="sr-only">{span.expression}</span>{/if}
          </th>
        {/if}
        {#if withDays && span}
          <td class="hidden px-3 whitespace-nowrap text-quiet sm:table-cell">{first ? extent(span) : ''}</td>
          <td class="px-3 text-right text-quiet">{first ? lengthOf(span) : ''}</td>
        {/if}
        {#if table.each}
          <td
            class={[leadPad, 'whitespace-nowrap', !withSpans && 'font-semibold', stays(0), isFuture(r) && 'bg-ahead']}
            style:left={leftOf(0)}
          >
            {r.unit?.label ?? 'all'}{@render flags(r.cell_flags ? null : r.flags)}
          </td>
        {/if}
        {#each table.by as c, j (c)}
          {@const at = j + (table.each ? 1 : 0)}
          <td
            class={[
              at === 0 ? leadPad : pad,
              'whitespace-nowrap',
              isOther(r.group[j]) && 'text-quiet',
              crossed && 'font-semibold',
              stays(at),
              isFuture(r) && stays(at) && 'bg-ahead',
            ]}
            style:left={leftOf(at)}
          >
            {table.each && !r.unit && isAll(r.group[j])
              ? ''
              : labelText(r.group[j], answer)}{#if j === 0 && !table.each}{@render flags(r.flags)}{/if}
          </td>
        {/each}
        {#each shown as { column: c, at } (c.id)}
          {@const value = r.cells[at]}
          {@const to = link?.(r, c) ?? null}
          {@const made = why?.(r, c) ?? null}
          <td
            class={[
              padRight,
              'text-right whitespace-nowrap',
              edge(c) && 'border-l border-line font-semibold',
              c.role === 'change' || c.role === 'difference' ? toneOf(c, value) : !isPlain(c) && 'text-quiet',
              r.cell_flags?.[at]?.includes('future') && 'bg-ahead text-quiet',
            ]}
            style:background-color={shadeOf(r, c, value)}
            title={c.role === 'change' ? changeOfDifference(at, r) : undefined}
            data-column={c.id}
          >
            {#if to}<a class="hover:text-inside hover:underline" href={to} title="The records behind this figure"
                >{formatCell(c, value)}</a
              >
            {:else if made}<a class="hover:underline" href={made} title="Why? What this change is made of" data-why
                >{formatCell(c, value)}</a
              >
            {:else if c.role === 'change' && value === null && isFuture(r)}–
            {:else}{formatCell(c, value)}{/if}{@render flags(r.cell_flags?.[at])}
          </td>
        {/each}
      </tr>
    {/each}
    {#if rows.length === 0}
      <tr
        ><td class="p-6 text-center text-quiet" colspan={4 + table.by.length + shown.length}
          >No records in these days.</td
        ></tr
      >
    {/if}
    {#if partly}<tr style:height={`${below}px`} aria-hidden="true"
        ><td class="p-0" colspan={leads + shown.length}></td></tr
      >{/if}
  </tbody>
</table>

{#snippet flags(list: string[] | null | undefined)}
  {#if list && list.length > 0}<span class="ml-1.5 text-2xs font-normal text-quiet">{list.join(', ')}</span>{/if}
{/snippet}
