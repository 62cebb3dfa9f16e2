<script lang="ts">
  import Copy from '@lucide/svelte/icons/copy'
  import LinkIcon from '@lucide/svelte/icons/link'
  import { toCSV } from '../lib/filters'

  // What every table offers: its rows as CSV, and a link that shows it again.
  let { rows }: { rows: () => (string | null)[][] } = $props()
  let said = $state('')

  async function copy(text: string, what: string) {
    try {
      await navigator.clipboard.writeText(text)
      said = what + ' copied'
    } catch {
      said = 'The browser does not allow copying'
    }
    setTimeout(() => (said = ''), 2500)
  }
</script>

<div class="flex items-center gap-2">
  <span class="text-2xs text-quiet" role="status">{said}</span>
  <button class="button" onclick={() => copy(toCSV(rows()), 'CSV')}><Copy class="size-3.5" aria-hidden="true" />CSV</button>
  <button class="button" onclick={() => copy(location.href, 'Link')}><LinkIcon class="size-3.5" aria-hidden="true" />Link</button>
</div>
