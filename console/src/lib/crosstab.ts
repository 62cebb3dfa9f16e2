import type { Schemas } from './api'
import { groupLabel, marks, type FigureInfo, type TotalRow } from './question'

export interface CrossTab {
  span: Schemas['SpanTotal']
  figure: FigureInfo
  at: number
  label: string
  down: string[]
  marks: string[]
  ahead: boolean[]
  across: string[]
  row: (down: string, across: string) => TotalRow | undefined
}

/** Lays a span's rows and edges out: units or the other category down, one category across, all last. */
export function crossTabs(total: Schemas['Total'], span: Schemas['SpanTotal'], across: string): CrossTab[] {
  const at = total.by.indexOf(across)
  const category = total.by.length === 2 ? 1 - at : -1
  const cells = new Map<string, TotalRow>()
  const down = new Map<string, TotalRow>()
  const columns = new Set<string>()
  const put = (r: TotalRow) => {
    const d = category >= 0 ? groupLabel(total, r, category) : (r.unit?.label ?? 'all')
    const c = groupLabel(total, r, at)
    if (!down.has(d)) down.set(d, r)
    columns.add(c)
    cells.set(d + '\n' + c, r)
  }
  span.rows.forEach(put)
  span.edges?.filter((r) => category < 0 || !r.unit).forEach(put)
  put(span.total)
  const last = (list: string[]) => [...list.filter((l) => l !== 'all'), 'all']
  const rows = last([...down.keys()])
  return total.figures.map((figure, i) => ({
    span,
    figure,
    at: i,
    label: category >= 0 ? (total.by[category] ?? '') : 'unit',
    down: rows,
    marks: rows.map((d) => (category < 0 ? marks(down.get(d)?.unit) : '')),
    ahead: rows.map((d) => category < 0 && (down.get(d)?.unit?.ahead ?? false)),
    across: last([...columns]),
    row: (d, c) => cells.get(d + '\n' + c),
  }))
}
