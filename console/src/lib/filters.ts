// A filter is written as everywhere: route=Gull Rock, route!=, fare>=10, fare<=20, fare between 10 and
// 20, note~late. Values of the same column and sign are alternatives; nothing after the sign is blank.

export const operators = {
  is: { sign: '=', words: 'is' },
  'is-not': { sign: '!=', words: 'is not' },
  'at-least': { sign: '>=', words: 'at least' },
  'at-most': { sign: '<=', words: 'at most' },
  contains: { sign: '~', words: 'contains' },
  between: { sign: ' between ', words: 'between' },
} as const

export type Operator = keyof typeof operators

export interface Filter {
  column: string
  operator: Operator
  values: (string | null)[]
}

const quoted = /^"((?:[^"]|"")*)"/
const signs = Object.entries(operators)
  .map(([name, o]) => ({ name: name as Operator, sign: o.sign as string }))
  .sort((a, b) => b.sign.length - a.sign.length)
const takesSeveral = (o: Operator) => o === 'is' || o === 'is-not'

function parseFilter(text: string): Filter | null {
  const start = quoted.exec(text)
  const from = start?.[0].length ?? 0
  const found = signs
    .map((s) => ({ ...s, at: text.indexOf(s.sign, from) }))
    .filter((s) => s.at > 0)
    .sort((a, b) => a.at - b.at || b.sign.length - a.sign.length)[0]
  if (!found) return null
  const column = start ? (start[1] ?? '').replaceAll('""', '"') : text.slice(0, found.at)
  const value = text.slice(found.at + found.sign.length)
  if (found.name !== 'between') return { column, operator: found.name, values: [value === '' ? null : value] }
  const [low = '', high = ''] = value.split(' and ')
  return { column, operator: 'between', values: [low, high] }
}

export function parseFilters(texts: string[]): Filter[] {
  const filters: Filter[] = []
  for (const text of texts) {
    const one = parseFilter(text)
    if (!one) continue
    const same = filters.find((f) => f.column === one.column && f.operator === one.operator)
    if (same && takesSeveral(one.operator)) same.values.push(...one.values)
    else filters.push(one)
  }
  return filters
}

function columnText(name: string): string {
  const plain = !name.startsWith('"') && signs.every((s) => !name.includes(s.sign))
  return plain ? name : `"${name.replaceAll('"', '""')}"`
}

export function filterTexts(filters: Filter[]): string[] {
  return filters.flatMap((f) =>
    f.operator === 'between'
      ? [`${columnText(f.column)} between ${f.values[0]} and ${f.values[1]}`]
      : f.values.map((v) => `${columnText(f.column)}${operators[f.operator].sign}${v ?? ''}`),
  )
}

export const isValue = (column: string, value: string | null): string => `${columnText(column)}=${value ?? ''}`

/** route is Gull Rock or Saltmarsh */
export function filterWords(f: Filter): string {
  const values = f.values.map((v) => v ?? '(blank)').join(f.operator === 'between' ? ' and ' : ' or ')
  return `${f.column.replaceAll('_', ' ')} ${operators[f.operator].words} ${values}`
}
