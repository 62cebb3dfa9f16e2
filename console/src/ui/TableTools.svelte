<script lang="ts">
  import Copy from '@lucide/svelte/icons/copy'
  import LinkIcon from '@lucide/svelte/icons/link'

  // What every table offers: its rows as CSV, and a link that shows it again.
  let { csv }: { csv?: () => string | Promise<string> } = $props()
  let said = $state('')

  async function copy(text: () => string | Promise<string>, what: string) {
    try {
      await navigator.clipboard.writeText(await text())
      said = what + ' copied'
    } catch (e) {
      said = e instanceof DOMException ? 'The browser does not allow copying' : (e as Error).message
    }
    setTimeout(() => (said = ''), 2500)
  }
</script>

<div class="flex items-center gap-2">
  <span class="text-2xs text-quiet" role="status">{said}</span>
  {#if csv}
    <button class="button" onclick={() => copy(csv, 'CSV')}><Copy class="size-3.5" aria-hidden="true" />CSV</button>
  {/if}
  <button class="button" onclick={() => copy(() => location.href, 'Link')}>
    <LinkIcon class="size-3.5" aria-hidden="true" />Link
  </button>
</div>
