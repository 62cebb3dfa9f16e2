import {
  BarController,
  BarElement,
  CategoryScale,
  Chart,
  type ChartConfiguration,
  type ChartDataset,
  LinearScale,
  LineController,
  LineElement,
  PointElement,
  Tooltip,
  type Plugin,
} from 'chart.js'
import { otherColour } from './palette'

Chart.register(
  BarController,
  BarElement,
  CategoryScale,
  LinearScale,
  LineController,
  LineElement,
  PointElement,
  Tooltip,
)
Chart.defaults.font.family = "'Inter Variable', system-ui, sans-serif"
Chart.defaults.font.size = 11

export interface Series {
  label: string
  role: 'inside' | 'counterpart' | 'plan' | 'other'
  values: (number | null)[]
  /** Units that are not whole, or not over. */
  partial: boolean[]
}

export interface ChartData {
  kind: 'lines' | 'bars'
  /** Bars stand on each other: they are parts of a whole. */
  stacked?: boolean
  labels: string[]
  series: Series[]
  /** The first unit that is in the future; -1 where none is. */
  future: number
  asOf: string
  /** What is to be read of the events in each unit; null where it has none. */
  marks?: (string | null)[]
  shown: (v: number) => string
}

/** Draws a chart in the colours of the page. */
export function draw(canvas: HTMLCanvasElement, d: ChartData): Chart {
  const css = getComputedStyle(document.documentElement)
  const colour = (name: string) => css.getPropertyValue('--' + name).trim()
  const quiet = colour('quiet')
  const line = colour('line')
  let other = 0
  const colours = d.series.map((s) =>
    s.role === 'inside'
      ? colour('inside')
      : s.role === 'plan'
        ? colour('plan')
        : s.role === 'counterpart'
          ? d.kind === 'bars'
            ? colour('inside-light')
            : quiet
          : otherColour(other++),
  )

  // What has not happened yet lies on a shade, from the as-of line on.
  const futureShade: Plugin = {
    id: 'future',
    beforeDatasetsDraw(chart) {
      if (d.future < 0 || d.future >= d.labels.length) return
      const x = chart.scales['x']
      if (!x) return
      const half = d.labels.length > 1 ? (x.getPixelForValue(1) - x.getPixelForValue(0)) / 2 : x.width / 2
      const left = x.getPixelForValue(d.future) - half
      const { top, bottom, right } = chart.chartArea
      chart.ctx.save()
      chart.ctx.fillStyle = colour('ahead')
      chart.ctx.fillRect(left, top, right - left, bottom - top)
      chart.ctx.strokeStyle = colour('asof')
      chart.ctx.lineWidth = 1.5
      chart.ctx.beginPath()
      chart.ctx.moveTo(left, top)
      chart.ctx.lineTo(left, bottom)
      chart.ctx.stroke()
      chart.ctx.fillStyle = colour('asof-ink')
      chart.ctx.textBaseline = 'top'
      const text = `as of ${d.asOf}`
      const wide = chart.ctx.measureText(text).width
      chart.ctx.fillText(text, left + 5 + wide > right ? left - wide - 5 : left + 5, top + 1)
      chart.ctx.restore()
    },
  }

  // A unit in which an event takes place has a small triangle over it; the tooltip names the event.
  const eventMarks: Plugin = {
    id: 'events',
    afterDatasetsDraw(chart) {
      const x = chart.scales['x']
      if (!x || !d.marks) return
      const { top } = chart.chartArea
      chart.ctx.save()
      chart.ctx.fillStyle = quiet
      d.marks.forEach((mark, i) => {
        if (mark === null) return
        const at = x.getPixelForValue(i)
        chart.ctx.beginPath()
        chart.ctx.moveTo(at - 4, top - 7)
        chart.ctx.lineTo(at + 4, top - 7)
        chart.ctx.lineTo(at, top)
        chart.ctx.fill()
      })
      chart.ctx.restore()
    },
  }

  const datasets = d.series.map((s, i): ChartDataset => {
    const c = colours[i] ?? quiet
    if (d.kind === 'bars') {
      return {
        type: 'bar',
        label: s.label,
        data: s.values,
        backgroundColor: s.values.map((_, j) =>
          s.partial[j] && !d.stacked && s.role !== 'counterpart'
            ? 'transparent'
            : s.partial[j] && d.stacked
              ? c + '99'
              : c,
        ),
        borderColor: c,
        borderWidth: s.values.map((_, j) => (s.partial[j] ? 1.5 : 0)),
        categoryPercentage: 0.8,
        barPercentage: 0.92,
      }
    }
    return {
      type: 'line',
      label: s.label,
      data: s.values,
      borderColor: c,
      borderWidth: s.role === 'inside' ? 2.5 : 1.75,
      borderDash: s.role === 'plan' ? [2, 4] : [],
      pointRadius: s.values.map((_, j) => (s.role !== 'plan' && s.partial[j] ? 4 : 0)),
      pointHoverRadius: 4,
      pointBackgroundColor: colour('card'),
      pointBorderColor: c,
      pointBorderWidth: 2,
      segment: { borderDash: (ctx) => (s.role === 'plan' ? [2, 4] : s.partial[ctx.p1DataIndex] ? [5, 4] : undefined) },
      spanGaps: false,
    }
  })
  const config: ChartConfiguration = {
    type: d.kind === 'bars' ? 'bar' : 'line',
    data: { labels: d.labels, datasets },
    options: {
      animation: false,
      responsive: true,
      maintainAspectRatio: false,
      layout: { padding: { top: d.marks?.some((m) => m !== null) ? 9 : 0 } },
      interaction: { mode: 'index', intersect: false },
      plugins: {
        tooltip: {
          backgroundColor: colour('card'),
          titleColor: colour('ink'),
          bodyColor: colour('ink'),
          borderColor: line,
          borderWidth: 1,
          footerColor: quiet,
          footerFont: { weight: 'normal' },
          callbacks: {
            footer: (items) => d.marks?.[items[0]?.dataIndex ?? -1] ?? '',
            label: (item) => {
              const value = item.parsed.y === null ? '–' : d.shown(item.parsed.y)
              const partial = d.series[item.datasetIndex]?.partial[item.dataIndex] ? ' (not whole)' : ''
              return ` ${item.dataset.label ?? ''}: ${value}${partial}`
            },
          },
        },
      },
      scales: {
        x: {
          stacked: d.stacked ?? false,
          grid: { display: false },
          border: { color: line },
          ticks: { color: quiet, maxRotation: 0, autoSkipPadding: 12 },
        },
        y: {
          stacked: d.stacked ?? false,
          beginAtZero: true,
          grace: '9%',
          grid: { color: line },
          border: { display: false },
          ticks: { color: quiet, maxTicksLimit: 6, callback: (v) => short(Number(v)) },
        },
      },
    },
    plugins: [futureShade, eventMarks],
  }
  return new Chart(canvas, config)
}

/** 120000 → 120k */
function short(v: number): string {
  const size = Math.abs(v)
  if (size >= 1e9) return `${+(v / 1e9).toFixed(1)}bn`
  if (size >= 1e6) return `${+(v / 1e6).toFixed(1)}m`
  if (size >= 1e4) return `${+(v / 1e3).toFixed(1)}k`
  return String(v)
}
