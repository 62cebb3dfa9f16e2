// A filter is written as everywhere: route=Gull Rock, fare>=10, closed_on in @closed-month. Several values of one
// column, COL=VALUE, are alternatives. What the page cannot take apart it keeps and shows as it is written.

interface Operation {
  words: string
  takes: 'value' | 'two' | 'span' | 'nothing'
  text: (column: string, value: string, upper: string) => string
}

export const operations = {
  is: { words: 'is', takes: 'value', text: (c, v) => `${c}=${quoted(v)}` },
  'is-not': { words: 'is not', takes: 'value', text: (c, v) => `${c}!=${quoted(v)}` },
  'at-least': { words: 'at least', takes: 'value', text: (c, v) => `${c}>=${quoted(v)}` },
  'at-most': { words: 'at most', takes: 'value', text: (c, v) => `${c}<=${quoted(v)}` },
  above: { words: 'above', takes: 'value', text: (c, v) => `${c}>${quoted(v)}` },
  below: { words: 'below', takes: 'value', text: (c, v) => `${c}<${quoted(v)}` },
  between: { words: 'between', takes: 'two', text: (c, v, w) => `${c} between ${quoted(v)} and ${quoted(w)}` },
  contains: { words: 'contains', takes: 'value', text: (c, v) => `${c}~${quoted(v)}` },
  'not-contains': { words: 'does not contain', takes: 'value', text: (c, v) => `${c}!~${quoted(v)}` },
  in: { words: 'in span', takes: 'span', text: (c, v) => `${c} in ${quotedSpan(v)}` },
  'not-in': { words: 'not in span', takes: 'span', text: (c, v) => `${c} not in ${quotedSpan(v)}` },
  after: { words: 'after span', takes: 'span', text: (c, v) => `${c} after ${quotedSpan(v)}` },
  before: { words: 'before span', takes: 'span', text: (c, v) => `${c} before ${quotedSpan(v)}` },
  blank: { words: 'is blank', takes: 'nothing', text: (c) => `${c}=` },
  'not-blank': { words: 'is not blank', takes: 'nothing', text: (c) => `${c}!=` },
} satisfies Record<string, Operation>

export type OperationName = keyof typeof operations

/** The operations that go with a column, the likeliest first. */
export function operationsOf(role: string, type: string): OperationName[] {
  if (role === 'category') return ['is', 'is-not', 'contains', 'not-contains']
  if (type === 'text') return ['contains', 'not-contains', 'is', 'is-not', 'blank', 'not-blank']
  const compared: OperationName[] = [
    'at-least',
    'at-most',
    'above',
    'below',
    'between',
    'is',
    'is-not',
    'blank',
    'not-blank',
  ]
  return type === 'number' ? compared : ['in', 'not-in', 'after', 'before', ...compared]
}

const inQuotes = (text: string) => `"${text.replaceAll('"', '""')}"`

function quoted(value: string): string {
  const plain = value !== '' && value === value.trim() && !/^["=]|^or | ignoring case$| or | and | or$/.test(value)
  return plain ? value : inQuotes(value)
}

const quotedSpan = (text: string) => (/^[("]| or | ignoring case$/.test(text) ? inQuotes(text) : text)

/** A column as filters name it. */
export const columnText = (name: string): string => (/[ =<>~!"]/.test(name) ? inQuotes(name) : name)

/** Values of one column that are kept or left out, or a filter as it is written. */
export interface Filter {
  column: string
  operation: 'is' | 'is-not' | ''
  values: (string | null)[]
  text: string
}

const simple = /^("(?:[^"]|"")*"|[^ "=<>!~]+)(!?=)("(?:[^"]|"")*"|[^"].*)?$/
const bare = (text: string) => (text.startsWith('"') ? text.slice(1, -1).replaceAll('""', '"') : text)

function parseFilter(text: string): Filter {
  const found = simple.exec(text)
  const value = found?.[3] ?? ''
  if (!found || / or | and | ignoring case$/.test(value.startsWith('"') ? '' : value))
    return { column: '', operation: '', values: [], text }
  const values = [found[3] === undefined ? null : bare(value)]
  return { column: bare(found[1] ?? ''), operation: found[2] === '=' ? 'is' : 'is-not', values, text }
}

export function parseFilters(texts: string[]): Filter[] {
  const filters: Filter[] = []
  for (const one of texts.map(parseFilter)) {
    const same = filters.find((f) => f.operation !== '' && f.column === one.column && f.operation === one.operation)
    if (same) same.values.push(...one.values)
    else filters.push(one)
  }
  return filters
}

export function filterTexts(filters: Filter[]): string[] {
  return filters.flatMap((f) => {
    if (f.operation === '') return [f.text]
    const [column, sign] = [columnText(f.column), f.operation === 'is' ? '=' : '!=']
    return f.values.map((v) => column + sign + (v === null ? '' : quoted(v)))
  })
}

export const isValue = (column: string, value: string | null): string =>
  `${columnText(column)}=${value === null ? '' : quoted(value)}`

const signWords: Record<string, string> = {
  '!~': operations['not-contains'].words,
  '~': operations.contains.words,
  '>=': operations['at-least'].words,
  '<=': operations['at-most'].words,
  '>': operations.above.words,
  '<': operations.below.words,
}

/** route is Gull Rock or Saltmarsh */
export function filterWords(f: Filter): string {
  if (f.operation === '') {
    const signed = /^([^ "=<>!~]+)(!~|~|>=|<=|>|<)([^"]*)$/.exec(f.text)
    // A column in quotes, such as a length between two dates, is shown without them.
    const [, column, rest] = /^"((?:[^"]|"")+)"(.*)$/.exec(f.text) ?? []
    if (column && rest !== undefined) return `${column.replaceAll('_', ' ')}${rest.replace(/^(>=|<=|>|<)/, ' $1 ')}`
    if (!signed || / or /.test(f.text)) return f.text
    return `${signed[1]!.replaceAll('_', ' ')} ${signWords[signed[2]!]} ${signed[3]}`
  }
  const values = f.values.map((v) => v ?? '(blank)').join(f.operation === 'is' ? ' or ' : ' nor ')
  return `${f.column.replaceAll('_', ' ')} ${operations[f.operation].words} ${values}`
}
