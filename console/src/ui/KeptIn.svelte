<script lang="ts">
  import Database from '@lucide/svelte/icons/database'
  import type { Dataset } from '../api/client'

  // Where the records of a dataset are, should that be elsewhere.
  let { dataset: d }: { dataset: Dataset } = $props()
</script>

{#if d.attached}
  <span
    class="inline-flex items-center gap-1.5 whitespace-nowrap text-quiet"
    title={`The records stay in table ${d.attached.table} of database ${d.attached.database}, ${d.attached.engine}`}
    data-kept-in={d.attached.database}
  >
    <Database class="size-3.5" aria-hidden="true" />in {d.attached.database}, table {d.attached.table}
  </span>
{/if}
