<script lang="ts">
  import ChevronLeft from '@lucide/svelte/icons/chevron-left'
  import ChevronRight from '@lucide/svelte/icons/chevron-right'
  import Clock from '@lucide/svelte/icons/clock'
  import X from '@lucide/svelte/icons/x'
  import { useAsOf, useResolve } from '../api/queries'
  import { asOfTime, setAsOf, setParam } from '../lib/address.svelte'
  import { step } from '../lib/days'

  // The time of the as-of day, for spans of moments: an hour back and on, with the offset of the service's clock.
  const asOf = useAsOf()
  const time = $derived(asOfTime())
  const read = useResolve(
    () => (time === null ? [] : ['today']),
    () => asOf.moment,
  )
  const offset = $derived(read.data?.as_of_moment?.slice(19) ?? '')

  function stepHours(hours: number) {
    if (time === null || asOf.day === null) return
    const [h = 0, m = 0] = time.split(':').map(Number)
    const next = h + hours
    const day = Math.floor(next / 24)
    if (day !== 0) setAsOf(step(asOf.day, day))
    setParam('time', `${String(next - 24 * day).padStart(2, '0')}:${String(m).padStart(2, '0')}`)
  }
</script>

{#if time === null}
  <button
    class="button px-2"
    aria-label="Give the as-of day a time"
    title="A time, for spans of hours"
    onclick={() => setParam('time', '12:00')}><Clock class="size-4" /></button
  >
{:else}
  <span class="flex items-center gap-1" data-as-of-time={time}>
    <button class="button px-2" aria-label="One hour back" onclick={() => stepHours(-1)}
      ><ChevronLeft class="size-4" /></button
    >
    <input
      class="field w-16 py-1 tabular-nums"
      inputmode="numeric"
      maxlength="5"
      aria-label="Time of the as-of day"
      value={time}
      onchange={(e) => setParam('time', e.currentTarget.value || null)}
    />
    <span class="text-quiet tabular-nums" data-offset>{offset}</span>
    <button class="button px-2" aria-label="One hour on" onclick={() => stepHours(1)}
      ><ChevronRight class="size-4" /></button
    >
    <button class="button px-2" aria-label="Leave the time out" onclick={() => setParam('time', null)}
      ><X class="size-4" /></button
    >
  </span>
{/if}
