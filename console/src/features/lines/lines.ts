import type { Dataset, Schemas } from '../../api/client'
import { compact } from '../../lib/query'

// A line in the address: a query with a label, its parts by their names.

export interface LineText {
  label: string
  dataset: string
  over: string
  figures: string
  where: string[]
  against: string
  planned: boolean
}

export function parseLine(text: string): LineText | null {
  const q = new URLSearchParams(text)
  const dataset = q.get('dataset')
  const figures = q.get('figures')
  if (!dataset || !figures) return null
  return {
    label: q.get('label') ?? '',
    dataset,
    over: q.get('over') ?? 'this year',
    figures,
    where: q.getAll('where'),
    against: q.get('against') ?? '',
    planned: q.get('planned') === 'yes',
  }
}

export function lineText(l: LineText): string {
  const q = new URLSearchParams({ label: l.label, dataset: l.dataset, over: l.over, figures: l.figures })
  l.where.forEach((w) => q.append('where', w))
  if (l.against) q.set('against', l.against)
  if (l.planned) q.set('planned', 'yes')
  return q.toString()
}

/** A line as the service takes it. */
export function toLine(l: LineText): Schemas['Line'] {
  const against = l.against ? [l.against] : []
  return compact({ ...l, over: [l.over], figures: [l.figures], against }) as Schemas['Line']
}

/** The lines that are shown where nothing is said: this year so far, last year, and a plan if there is one. */
export function defaultLines(datasets: Dataset[]): LineText[] {
  const main = datasets[0]
  const amount = main?.columns.findLast((c) => c.role === 'amount')
  if (!main || !amount) return []
  const line = (label: string, dataset: string, over: string, column: string, planned = false): LineText => ({
    label,
    dataset,
    over,
    figures: `sum ${column}`,
    where: [],
    against: '',
    planned,
  })
  const lines = [
    line('this year so far', main.name, 'year to date', amount.name),
    line('last year', main.name, 'last full year', amount.name),
  ]
  const plan = datasets.find((d) => d.grain)
  const planned = plan?.columns.find((c) => c.role === 'amount')
  if (plan && planned) lines.push(line('plan', plan.name, 'this year', planned.name, true))
  return lines
}
