<script lang="ts">
  import type { Schemas } from '../../api/client'
  import ChartBox from '../../ui/ChartBox.svelte'

  // What was open at the end of each unit; as a table, what was opened and closed, too.
  let { answer, bare = false }: { answer: Schemas['AgeingAnswer']; bare?: boolean } = $props()

  const course = $derived(answer.course ?? [])
  const whole = $derived(course.map(() => false))
  const series = $derived([
    { label: 'open at the end', role: 'inside' as const, values: course.map((t) => t.open_at_end), partial: whole },
    { label: 'opened', role: 'other' as const, values: course.map((t) => t.opened), partial: whole },
    { label: 'closed', role: 'counterpart' as const, values: course.map((t) => t.closed), partial: whole },
  ])
</script>

<section class={bare ? 'mt-3' : 'card p-4'} aria-label="Backlog" data-backlog>
  <ChartBox
    kind="lines"
    title={`Backlog by ${answer.each ?? ''}`}
    labels={course.map((t) => t.unit)}
    {series}
    future={-1}
    asOf={answer.as_of}
    height={300}
  />
</section>
