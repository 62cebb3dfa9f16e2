<script lang="ts" module>
  import type { As } from '../api/client'

  /** Asks for an answer as a file. */
  export type Take = (as: As) => Promise<{ data?: unknown; error?: unknown; response: Response }>
</script>

<script lang="ts">
  import Download from '@lucide/svelte/icons/download'
  import { DropdownMenu } from 'bits-ui'
  import { asFile, file } from '../api/client'

  // Downloads an answer, in the format that is chosen; the service writes the file.
  let { take, onreport }: { take: Take; onreport: (text: string) => void } = $props()

  const formats = [
    {
      name: 'Workbook',
      ending: 'XLSX',
      type: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
    },
    { name: 'CSV', ending: 'CSV', type: 'text/csv' },
    { name: 'Markdown', ending: 'MD', type: 'text/markdown' },
    { name: 'JSON Lines', ending: 'JSONL', type: 'application/x-ndjson' },
    { name: 'Parquet', ending: 'PARQUET', type: 'application/vnd.apache.parquet' },
  ]

  async function save(type: string) {
    try {
      const { blob, name } = file(await take(asFile(type)))
      const link = document.createElement('a')
      link.href = URL.createObjectURL(blob)
      link.download = name
      link.click()
      setTimeout(() => URL.revokeObjectURL(link.href), 10_000)
      onreport(`${name} saved`)
    } catch (e) {
      onreport((e as Error).message)
    }
  }
</script>

<DropdownMenu.Root>
  <DropdownMenu.Trigger class="button"><Download class="size-3.5" aria-hidden="true" />Download</DropdownMenu.Trigger>
  <DropdownMenu.Portal>
    <DropdownMenu.Content class="card z-40 min-w-44 p-1 shadow-lg" sideOffset={4} align="end">
      {#each formats as f (f.type)}
        <DropdownMenu.Item
          class="flex cursor-pointer items-baseline gap-3 rounded-md px-2.5 py-1.5 data-highlighted:bg-ahead"
          onSelect={() => void save(f.type)}
          >{f.name}<span class="ml-auto text-2xs text-quiet">{f.ending}</span></DropdownMenu.Item
        >
      {/each}
    </DropdownMenu.Content>
  </DropdownMenu.Portal>
</DropdownMenu.Root>
