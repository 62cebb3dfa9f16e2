<script lang="ts">
  import { formatRounded } from '../../lib/numbers'
  import { wordsOf } from '../../lib/query'
  import { scrolls } from '../../ui/scrolls'
  import { decimalsOf, deeper, nameOf, ofColumn, partOf, shown, signed, type Drivers, type Effect } from './drivers'

  // From the counterpart to the figure, a step for each value of a column. Each step leads to its own drivers.
  let { drivers, column, links = true }: { drivers: Drivers; column: string; links?: boolean } = $props()

  /** How many steps are drawn; the others are put together. */
  const most = 9

  interface Step {
    name: string
    low: number
    high: number
    text: string
    tone: string
    link: string | null
  }

  const decimals = $derived(decimalsOf(drivers))
  const steps = $derived.by((): Step[] => {
    const total = partOf(drivers, 'total')
    if (!total?.counterpart || !total.figure) return []
    const all = ofColumn(drivers, column)
    const apart = all.length > most + 1 ? all.slice(0, most) : all
    const rest = all.slice(apart.length)
    let at = Number(total.counterpart)
    const whole = (name: string, value: string, tone: string): Step => ({
      name,
      low: Math.min(0, Number(value)),
      high: Math.max(0, Number(value)),
      text: shown(value, decimals),
      tone,
      link: null,
    })
    const step = (name: string, by: number, text: string, link: string | null): Step => {
      const from = at
      at += by
      const tone = by < 0 ? 'bg-worse' : 'bg-inside'
      return { name, low: Math.min(from, at), high: Math.max(from, at), text, tone, link }
    }
    const one = (e: Effect) =>
      step(nameOf(e), Number(e.difference), signed(e.difference, decimals), links ? deeper(e) : null)
    const list = [whole(drivers.against, total.counterpart, 'bg-inside-light'), ...apart.map(one)]
    if (rest.length > 0) {
      const sum = rest.reduce((a, e) => a + Number(e.difference), 0)
      const text = (sum > 0 ? '+' : '') + formatRounded(String(sum), decimals)
      list.push(step(`the other ${rest.length}`, sum, text, null))
    }
    return [...list, whole(drivers.over, total.figure, 'bg-inside')]
  })

  // The axis begins at zero only where the steps would not be seen too small.
  const bounds = $derived.by(() => {
    const between = steps.slice(1, -1)
    const ends = [steps[0], steps.at(-1)].flatMap((s) => (s ? [s.high === 0 ? s.low : s.high] : []))
    const high = Math.max(0, ...steps.map((s) => s.high))
    const low = Math.min(...ends, ...between.map((s) => s.low))
    const reach = high - low
    return low > 0 && reach < high / 3
      ? { low: low - reach * 0.25, high, cut: true }
      : { low: Math.min(0, low), high, cut: false }
  })
  const place = (v: number) => (100 * (Math.max(v, bounds.low) - bounds.low)) / (bounds.high - bounds.low || 1)
</script>

{#if steps.length > 0}
  <div class="overflow-x-auto" {@attach scrolls}>
    <ol
      class="flex h-64 min-w-[32rem] items-stretch gap-2 px-2 pt-7"
      aria-label={`From ${drivers.against} to ${drivers.over}, by ${wordsOf(column)}`}
    >
      {#each steps as s, i (i)}
        <li class="flex min-w-0 flex-1 flex-col">
          <div class="relative flex-1 border-b border-line">
            <span
              class="absolute inset-x-0 text-center text-2xs font-semibold whitespace-nowrap"
              class:text-worse={s.tone === 'bg-worse'}
              class:text-inside={s.tone === 'bg-inside' && i > 0 && i < steps.length - 1}
              style:bottom={`calc(${place(s.high)}% + 3px)`}>{s.text}</span
            >
            <svelte:element
              this={s.link ? 'a' : 'span'}
              href={s.link ?? undefined}
              title={s.link ? `The drivers of ${s.name}` : undefined}
              aria-label={s.link ? `${s.name}: ${s.text}; its own drivers` : undefined}
              class={['absolute inset-x-[12%] min-h-0.5 rounded-sm', s.tone, s.link && 'hover:opacity-80']}
              style:bottom={`${place(s.low)}%`}
              style:height={`${place(s.high) - place(s.low)}%`}
              data-step={s.name}
            ></svelte:element>
          </div>
          <span class="mt-1 line-clamp-2 h-8 text-center text-2xs text-quiet" title={s.name}>{s.name}</span>
        </li>
      {/each}
    </ol>
  </div>
  {#if bounds.cut}<p class="text-2xs text-quiet">The axis does not begin at zero.</p>{/if}
{/if}
