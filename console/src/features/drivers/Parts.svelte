<script lang="ts">
  import { sign } from '../../lib/numbers'
  import { labelText } from '../../lib/query'
  import { long } from '../../lib/days'
  import { decimalsOf, nameOf, shown, signed, type Drivers, type Effect } from './drivers'

  // What a change is made of besides categories: how many and how large, which days, events, and the records that weigh most.
  let { drivers }: { drivers: Drivers } = $props()

  const decimals = $derived(decimalsOf(drivers))
  const tone = (e: Effect) =>
    sign(e.difference) < 0 ? 'text-worse' : sign(e.difference) > 0 ? 'text-inside' : 'text-quiet'
  const of = (...parts: Effect['part'][]) => drivers.effects.filter((e) => parts.includes(e.part))
  const words = (e: Effect): [name: string, about: string] => {
    const sides = (digits: number) =>
      e.figure ? `${shown(e.figure, digits)} against ${shown(e.counterpart, digits)}` : ''
    switch (e.part) {
      case 'count':
        return ['How many', `${sides(0)} records`]
      case 'size':
        return ['How large', `mean ${sides(2)}`]
      case 'days':
        return ['Days', sides(0)]
      case 'kinds_of_days':
        return ['Kinds of days', e.about ?? '']
      case 'event':
        return [nameOf(e), e.about ?? '']
      case 'record':
        return [
          (e.record?.values ?? []).map((v) => labelText(v)).join(', '),
          `${long(e.record?.day ?? '')}${e.record?.counterpart ? ', counterpart' : ''}`,
        ]
      default:
        return ['Rest', 'what the kinds of days do not explain']
    }
  }
  const cards = $derived(
    [
      { title: 'How many, how large', list: of('count', 'size') },
      { title: 'Which days', list: of('days', 'kinds_of_days', 'rest') },
      { title: 'Events on one side', list: of('event') },
      { title: 'Records that weigh most', list: of('record') },
    ].filter((c) => c.list.length > 0),
  )
</script>

{#each cards as card (card.title)}
  <section class="card mb-3.5 p-4" aria-label={card.title}>
    <h2 class="mb-1 font-semibold">{card.title}</h2>
    <ul>
      {#each card.list as e, i (i)}
        {@const [name, about] = words(e)}
        <li class="flex items-baseline gap-2 border-t border-line/60 py-1.5 first:border-0">
          <span class="min-w-0 flex-1">{name} <span class="text-2xs text-quiet">{about}</span></span>
          <span class={['font-semibold tabular-nums', tone(e)]} data-part={e.part}
            >{signed(e.difference, decimals)}</span
          >
        </li>
      {/each}
    </ul>
  </section>
{/each}
