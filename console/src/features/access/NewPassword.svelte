<script lang="ts">
  // A password that is chosen: shown where that is wanted, since it is typed once.
  let {
    value = $bindable(),
    label = 'Password',
    id,
  }: {
    value: string
    label?: string
    id: string
  } = $props()
  let shown = $state(false)
  const shortest = 12
  const missing = $derived(shortest - [...value].length)
</script>

<div>
  <label class="label" for={id}>{label}</label>
  <input
    {id}
    type={shown ? 'text' : 'password'}
    class="field min-h-9"
    autocomplete="new-password"
    spellcheck="false"
    required
    minlength={shortest}
    aria-describedby={id + '-rules'}
    bind:value
  />
  <div class="mt-1 flex items-center justify-between gap-2 text-2xs text-quiet">
    <span id={id + '-rules'}
      >{value === '' || missing <= 0
        ? 'At least 12 characters; several words that do not belong together are good.'
        : `${missing} more ${missing === 1 ? 'character' : 'characters'}`}</span
    >
    <label class="flex shrink-0 items-center gap-1"><input type="checkbox" bind:checked={shown} />show</label>
  </div>
</div>
