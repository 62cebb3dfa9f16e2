import type { Dataset, Schemas } from './api'
import { toFilters } from './filters'
import { toFigure } from './question'

// A line in the address: its parts by name, as JSON is too long to read and a path too short.

export interface LineText {
  label: string
  dataset: string
  over: string
  figure: string
  where: string[]
  against: string
  planned: boolean
}

export function readLine(text: string): LineText | null {
  const q = new URLSearchParams(text)
  const dataset = q.get('dataset')
  const figure = q.get('figure')
  if (!dataset || !figure) return null
  return { label: q.get('label') ?? '', dataset, over: q.get('over') ?? 'this year', figure, where: q.getAll('where'), against: q.get('against') ?? '', planned: q.get('planned') === 'yes' }
}

export function writeLine(l: LineText): string {
  const q = new URLSearchParams({ label: l.label, dataset: l.dataset, over: l.over, figure: l.figure })
  l.where.forEach((w) => q.append('where', w))
  if (l.against) q.set('against', l.against)
  if (l.planned) q.set('planned', 'yes')
  return q.toString()
}

export function toLine(l: LineText): Schemas['LineRequest'] {
  return { label: l.label, dataset: l.dataset, over: l.over, figure: toFigure(l.figure), where: toFilters(l.where), planned: l.planned, ...(l.against ? { against: l.against } : {}) }
}

/** The lines that are shown where nothing is said: this year so far, last year, and a plan if there is one. */
export function usualLines(datasets: Dataset[]): LineText[] {
  const main = datasets[0]
  const amount = main?.columns.findLast((c) => c.role === 'amount')
  if (!main || !amount) return []
  const line = (label: string, over: string): LineText => ({ label, dataset: main.name, over, figure: `sum:${amount.name}`, where: [], against: '', planned: false })
  const lines = [line('this year so far', 'year to date'), line('last year', 'last full year')]
  const plan = datasets.find((d) => d.covers)
  const planned = plan?.columns.find((c) => c.role === 'amount')
  if (plan && planned) lines.push({ label: 'plan', dataset: plan.name, over: 'this year', figure: `sum:${planned.name}`, where: [], against: '', planned: true })
  return lines
}
