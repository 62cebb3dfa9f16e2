import type { Answer, Label, Row, Table, TableColumn } from '../../api/client'
import { isAll, isFuture, isOther, isUnfinished, labelText, wordsOf } from '../../lib/query'
import type { Series } from '../../ui/chart'

// A table of totals as a chart: what stands along its axis, and one series for each value, comparison or span.

export type Drawing = 'bars' | 'lines' | 'stacked'

export interface Drawn {
  labels: string[]
  /** The days of each place along the axis; null where it is no unit of time. */
  days: ({ first: string; last: string } | null)[]
  series: Series[]
  future: number
  /** How many series there are, where only some are drawn. */
  of: number
  /** Whether the series add up to a whole that means something. */
  parts: boolean
}

/** How many series one chart shows. */
const most = 9

/** How many places an axis has at most. */
const longest = 400

const value = (v: string | null | undefined) => (v === null || v === undefined ? null : Number(v))

interface Cell {
  along: string
  series: string
  value: number | null
  row: Row
}

/** The columns of a table that are figures: those that one can choose to draw. */
export const figuresOf = (t: Table | undefined): TableColumn[] =>
  t?.columns.filter((c) => c.role === 'figure' && !t.across) ?? []

/** Draws one figure of an answer, the first where none is said; null where there is nothing along an axis. */
export function drawn(a: Answer, figure: number, kind: Drawing): Drawn | null {
  const t = a.tables.length > 1 ? a.tables[Math.min(figure, a.tables.length - 1)] : a.tables[0]
  if (!t) return null
  const rows = t.rows.filter((r) => r.kind === 'group' && (a.tables.length > 1 || r.span === 0 || !t.across))
  return t.across ? crossed(a, t, rows, kind) : listed(a, t, rows, figure, kind)
}

// A cross-tab: down along the axis, a series for each value that goes across.
function crossed(a: Answer, t: Table, rows: Row[], kind: Drawing): Drawn | null {
  const columns = t.columns.map((c, at) => ({ c, at })).filter(({ c }) => c.role === 'figure' && !isAll(c.group))
  const cells = rows.flatMap((r) =>
    columns.map(({ c, at }) => ({
      along: r.unit?.label ?? labelText(r.group[0], a),
      series: labelText(c.group, a),
      value: value(r.cells[at]),
      row: r,
    })),
  )
  return laid(cells, kind, true)
}

// A list: units or the last category along the axis; the first category, the spans or the comparisons are its series.
function listed(a: Answer, t: Table, rows: Row[], figure: number, kind: Drawing): Drawn | null {
  if (!t.each && t.by.length === 0) return null
  const figures = t.columns.map((c, at) => ({ c, at })).filter(({ c }) => c.role === 'figure')
  const own = figures[Math.min(figure, figures.length - 1)]
  if (!own) return null
  const category = (r: Row, at: number) => (labelAt(r.group[at]) ? labelText(r.group[at], a) : 'all')
  const along = (r: Row) => (t.each ? (r.unit?.label ?? '') : category(r, t.by.length - 1))
  const apart = t.each ? t.by.length > 0 : t.by.length > 1
  if (apart)
    return laid(
      rows
        .filter((r) => r.span === 0)
        .map((r) => ({ along: along(r), series: category(r, 0), value: value(r.cells[own.at]), row: r })),
      kind,
      true,
    )
  if (a.spans.length > 1)
    return laid(
      rows.map((r) => ({
        along: along(r),
        series: (a.spans[r.span]?.expression ?? '').replace(/^@/, ''),
        value: value(r.cells[own.at]),
        row: r,
      })),
      kind,
      false,
    )
  const others = t.columns
    .map((c, at) => ({ c, at }))
    .filter(({ c }) => c.figure === own.c.figure && ['counterpart', 'running', 'rolling'].includes(c.role))
  const shown = [own, ...others]
  const result = laid(
    rows.flatMap((r) =>
      shown.map(({ c, at }) => ({ along: along(r), series: wordsOf(c.title), value: value(r.cells[at]), row: r })),
    ),
    kind,
    false,
  )
  result?.series.forEach((s, i) => {
    s.role = i === 0 ? 'inside' : i === 1 ? 'counterpart' : 'other'
    if (i > 0) s.partial = s.partial.map(() => false)
  })
  return result
}

/** The outer days of a row. */
export function daysOf(r: Row): { first: string; last: string } | null {
  const [first, last] = [r.intervals[0]?.first_day, r.intervals.at(-1)?.last_day]
  return first && last ? { first, last } : null
}

const labelAt = (l: Label | undefined) => l !== undefined && !isAll(l)

function laid(cells: Cell[], kind: Drawing, parts: boolean): Drawn | null {
  const labels: string[] = []
  const at = new Map<string, number>()
  const sums = new Map<string, number>()
  const byPlace = new Map<string, Cell>()
  for (const c of cells) {
    if (!at.has(c.along) && labels.length < longest) {
      at.set(c.along, labels.length)
      labels.push(c.along)
    }
    sums.set(c.series, (sums.get(c.series) ?? 0) + Math.abs(c.value ?? 0))
    byPlace.set(c.series + '\u0000' + c.along, c)
  }
  if (labels.length === 0) return null
  const all = [...sums.keys()]
  const kept = new Set([...all].sort((a, b) => (sums.get(b) ?? 0) - (sums.get(a) ?? 0)).slice(0, most))
  const first = cells[0] && isOther(cells[0].row.group[0]) ? undefined : all.find((s) => kept.has(s))
  const cellOf = (series: string, along: string) => byPlace.get(series + '\u0000' + along)
  const series = all
    .filter((s) => kept.has(s))
    .map((s): Series => ({
      label: s,
      role: s === first ? 'inside' : 'other',
      values: labels.map((l) => cellOf(s, l)?.value ?? null),
      partial: labels.map((l) => {
        const row = cellOf(s, l)?.row
        return row !== undefined && isUnfinished(row)
      }),
    }))
  const days = labels.map((l) => {
    const row = all.map((s) => cellOf(s, l)?.row).find((r) => r?.unit && r.intervals.length > 0)
    return row ? daysOf(row) : null
  })
  const future = labels.findIndex((l) => all.some((s) => isFuture(cellOf(s, l)?.row)))
  return { labels, days, series, future: kind === 'stacked' && !parts ? -1 : future, of: all.length, parts }
}
