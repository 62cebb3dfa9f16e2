import type { Filter } from './api'

// A filter in the address: where=route=Gull Rock, once for each value; route= is blank.

export function toFilters(texts: string[]): Filter[] {
  const filters: Filter[] = []
  for (const text of texts) {
    const at = text.indexOf('=')
    if (at < 1) continue
    const column = text.slice(0, at)
    const value = text.slice(at + 1)
    let f = filters.find((x) => x.column === column)
    if (!f) {
      f = { column, one_of: [] }
      filters.push(f)
    }
    f.one_of.push(value === '' ? null : value)
  }
  return filters
}

export function fromFilters(filters: Filter[]): string[] {
  return filters.flatMap((f) => f.one_of.map((v) => `${f.column}=${v ?? ''}`))
}

/** A table as CSV, quoted where it must be. */
export function toCSV(rows: (string | null)[][]): string {
  const cell = (v: string | null) => (v === null ? '' : /[",\r\n]/.test(v) ? '"' + v.replaceAll('"', '""') + '"' : v)
  return rows.map((r) => r.map(cell).join(',')).join('\r\n') + '\r\n'
}
