<script lang="ts">
  import { useCalendars } from '../../api/queries'
  import Select from '../../ui/Select.svelte'

  // Chooses the calendar that a span is read in, whatever the page's is; empty is the page's.
  let { own = $bindable() }: { own: string } = $props()

  const calendars = useCalendars()
</script>

<span class="label">Own calendar</span>
<Select
  label="Own calendar"
  wide
  value={own || '(as the page)'}
  options={[
    { value: '(as the page)', label: 'as the page' },
    ...(calendars.data ?? []).map((c) => ({
      value: c.definition.name,
      label: c.definition.name,
      hint: c.definition.about ?? c.layout,
    })),
  ]}
  onchoose={(v) => (own = v === '(as the page)' ? '' : v)}
/>
