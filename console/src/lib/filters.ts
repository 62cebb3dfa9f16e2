import type { Filter } from './api'

// A filter in the address is written as on the command line: route=Gull Rock, route!=, fare>=10,
// fare<=20, fare between 10 and 20, note~late. Values of the same column and test are alternatives; nothing after the sign is
// blank.

export type Test = NonNullable<Filter['test']>

const signs: { sign: string; test: Test; words: string }[] = [
  { sign: '!=', test: 'is-not', words: 'is not' },
  { sign: '>=', test: 'at-least', words: 'at least' },
  { sign: '<=', test: 'at-most', words: 'at most' },
  { sign: '~', test: 'contains', words: 'contains' },
  { sign: '=', test: 'is', words: 'is' },
]

export const words = (test: Test): string => signs.find((s) => s.test === test)?.words ?? test
const between = /^([^=<>~!]+?) between (.+) and (.+)$/
const several = (test: Test) => test === 'is' || test === 'is-not'

export function toFilters(texts: string[]): Filter[] {
  const filters: Filter[] = []
  for (const text of texts) {
    const [, ofColumn, low, high] = between.exec(text) ?? []
    if (ofColumn && low && high) {
      filters.push({ column: ofColumn, test: 'between', values: [low, high] })
      continue
    }
    // The first sign in it; of two that begin together, the longer one.
    const found = signs.map((s) => ({ ...s, at: text.indexOf(s.sign) })).filter((s) => s.at > 0)
    const first = found.sort((a, b) => a.at - b.at || b.sign.length - a.sign.length)[0]
    if (!first) continue
    const column = text.slice(0, first.at)
    const value = text.slice(first.at + first.sign.length)
    let f = several(first.test) ? filters.find((x) => x.column === column && x.test === first.test) : undefined
    if (!f) {
      f = { column, test: first.test, values: [] }
      filters.push(f)
    }
    f.values.push(value === '' ? null : value)
  }
  return filters
}

export function fromFilters(filters: Filter[]): string[] {
  return filters.flatMap((f) =>
    f.test === 'between' ? [`${f.column} between ${f.values[0]} and ${f.values[1]}`] : f.values.map((v) => `${f.column}${signs.find((s) => s.test === f.test)?.sign ?? '='}${v ?? ''}`),
  )
}

/** A table as CSV, quoted where it must be. */
export function toCSV(rows: (string | null)[][]): string {
  const cell = (v: string | null) => (v === null ? '' : /[",\r\n]/.test(v) ? '"' + v.replaceAll('"', '""') + '"' : v)
  return rows.map((r) => r.map(cell).join(',')).join('\r\n') + '\r\n'
}
