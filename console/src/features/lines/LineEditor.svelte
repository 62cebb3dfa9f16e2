<script lang="ts">
  import type { Dataset } from '../../api/client'
  import type { LineText } from './lines'

  import { useFigureKinds, type Context } from '../../api/queries'
  import Select from '../../ui/Select.svelte'
  import Expression from '../spans/Expression.svelte'

  // One line: its label, records, span, figure, filters and counterpart.
  let {
    line,
    datasets,
    context,
    onsave,
    ondrop,
  }: {
    line: LineText
    datasets: Dataset[]
    context: Context | null
    onsave: (l: LineText) => void
    ondrop: (() => void) | null
  } = $props()

  // svelte-ignore state_referenced_locally -- the editor starts from the line and goes its own way
  let draft = $state({ ...line, whereText: line.where.join('; ') })
  const kinds = useFigureKinds()
  const dataset = $derived(datasets.find((d) => d.name === draft.dataset))
  const figures = $derived([
    'count',
    ...(dataset?.columns
      .filter((c) => c.role === 'amount')
      .flatMap((c) => kinds.of(c).map((k) => `${k.kind} ${c.name}`)) ?? []),
  ])
  const ready = $derived(draft.label.trim() !== '' && draft.over.trim() !== '' && figures.includes(draft.figures))

  function save() {
    const { whereText, ...rest } = draft
    onsave({
      ...rest,
      label: draft.label.trim(),
      where: whereText
        .split(';')
        .map((w) => w.trim())
        .filter((w) => w !== ''),
    })
  }
</script>

<form
  class="grid gap-2.5"
  onsubmit={(e) => {
    e.preventDefault()
    if (ready) save()
  }}
>
  <div>
    <label class="label" for="line-label">Label</label><input
      id="line-label"
      class="field"
      bind:value={draft.label}
      maxlength="100"
      autocomplete="off"
    />
  </div>
  <div class="grid grid-cols-2 gap-2">
    <Select
      label="Records of"
      wide
      value={draft.dataset}
      options={datasets.map((d) => ({ value: d.name, label: d.name }))}
      onchoose={(v) => (draft.dataset = v)}
    />
    <Select
      label="Figure"
      wide
      value={figures.includes(draft.figures) ? draft.figures : ''}
      options={figures.map((f) => ({ value: f, label: kinds.words(f) }))}
      onchoose={(v) => (draft.figures = v)}
      placeholder="Figure…"
    />
  </div>
  <Expression id="line-over" label="Over" bind:value={draft.over} {context} />
  <div>
    <label class="label" for="line-where">Where, such as route=Gull Rock; several by semicolons</label><input
      id="line-where"
      class="field font-mono text-[0.75rem]"
      bind:value={draft.whereText}
      autocomplete="off"
    />
  </div>
  <div>
    <label class="label" for="line-against">Against, such as 1 year earlier</label><input
      id="line-against"
      class="field font-mono text-[0.75rem]"
      bind:value={draft.against}
      autocomplete="off"
    />
  </div>
  <label class="flex items-center gap-2"
    ><input type="checkbox" bind:checked={draft.planned} /> Its records are planned: units in the future count</label
  >
  <div class="flex justify-end gap-2">
    {#if ondrop}<button type="button" class="button" onclick={ondrop}>Remove</button>{/if}
    <button class="button button-strong" disabled={!ready}>Save</button>
  </div>
</form>
