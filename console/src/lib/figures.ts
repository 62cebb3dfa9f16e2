// A figure is written as everywhere: count, sum fare, ratio fare/passengers, and behind it what is made of it: sum fare
// per day.

export interface Figure {
  kind: string
  column: string
  /** Of a pair, the column that is divided by. */
  over: string
  /** What is made of it, such as per day. */
  derived: string
}

/** What the service has: the kinds that take two columns, and what can be made of a figure. */
export interface Grammar {
  pairs: readonly string[]
  derivations: readonly string[]
}

const quoted = /^"((?:[^"]|"")*)"/

/** Takes a column off the start of a text. */
function cutColumn(text: string, pair: boolean): [column: string, rest: string] {
  const q = quoted.exec(text)
  if (q) return [(q[1] ?? '').replaceAll('""', '"'), text.slice(q[0].length).trim()]
  const slash = pair ? text.indexOf('/') : -1
  return slash < 0 ? [text, ''] : [text.slice(0, slash).trim(), text.slice(slash)]
}

const isDerived = (text: string, derivation: string) => ` ${text}`.endsWith(` ${derivation}`)

export function parseFigure(text: string, g: Grammar): Figure {
  const [kind = ''] = text.split(' ')
  let rest = text.slice(kind.length).trim()
  const derived = g.derivations.find((d) => isDerived(rest, d)) ?? ''
  rest = rest.slice(0, rest.length - derived.length).trim()
  const [column, behind] = cutColumn(rest, g.pairs.includes(kind))
  const [over] = cutColumn(behind.replace(/^\//, '').trim(), false)
  return { kind, column, over, derived }
}

export function writeFigure(f: Figure, g: Grammar): string {
  const write = (name: string) =>
    name.startsWith('"') ||
    name.trim() !== name ||
    (g.pairs.includes(f.kind) && name.includes('/')) ||
    g.derivations.some((d) => isDerived(name, d))
      ? `"${name.replaceAll('"', '""')}"`
      : name
  const columns = [f.column, f.over].filter((c) => c !== '').map(write)
  return [f.kind, columns.join('/'), f.derived].filter((part) => part !== '').join(' ')
}
