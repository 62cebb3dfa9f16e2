<script lang="ts" module>
  export interface Option {
    value: string
    label: string
    hint?: string
  }
</script>

<script lang="ts">
  import Check from '@lucide/svelte/icons/check'
  import ChevronDown from '@lucide/svelte/icons/chevron-down'
  import { Select } from 'bits-ui'

  let {
    label,
    value,
    options,
    onchoose,
    wide = false,
    placeholder = 'Choose…',
  }: {
    label: string
    value: string
    options: Option[]
    onchoose: (value: string) => void
    wide?: boolean
    placeholder?: string
  } = $props()

  const shown = $derived(options.find((o) => o.value === value)?.label ?? (value || placeholder))
</script>

<Select.Root type="single" {value} onValueChange={onchoose} items={options}>
  <Select.Trigger class={['button justify-between', wide && 'w-full', !value && 'text-quiet']} aria-label={label}>
    <span class="truncate">{shown}</span>
    <ChevronDown class="size-3.5 text-quiet" aria-hidden="true" />
  </Select.Trigger>
  <Select.Portal>
    <Select.Content
      class="card z-40 max-h-80 max-w-md overflow-y-auto p-1 shadow-lg"
      sideOffset={4}
      align={wide ? 'start' : 'end'}
    >
      <Select.Viewport>
        {#each options as o (o.value)}
          <Select.Item
            value={o.value}
            label={o.label}
            class="flex items-start gap-2 rounded-md px-2 py-1.5 data-highlighted:bg-ahead"
          >
            {#snippet children({ selected })}
              <Check class={['mt-0.5 size-3.5 shrink-0 text-inside', !selected && 'invisible']} aria-hidden="true" />
              <span>
                {o.label}
                {#if o.hint}<span class="block text-2xs text-quiet">{o.hint}</span>{/if}
              </span>
            {/snippet}
          </Select.Item>
        {/each}
      </Select.Viewport>
    </Select.Content>
  </Select.Portal>
</Select.Root>
