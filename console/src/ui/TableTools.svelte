<script lang="ts">
  import Copy from '@lucide/svelte/icons/copy'
  import LinkIcon from '@lucide/svelte/icons/link'

  import DownloadMenu, { type Take } from './DownloadMenu.svelte'

  // What every table offers: its rows as CSV to paste, itself as a file, and a link that shows it again.
  let { csv, take }: { csv?: (() => string | Promise<string>) | undefined; take?: Take | undefined } = $props()
  let said = $state('')
  function tell(text: string) {
    said = text
    setTimeout(() => (said = ''), 4000)
  }

  async function copy(text: () => string | Promise<string>, what: string) {
    try {
      await navigator.clipboard.writeText(await text())
      tell(what + ' copied')
    } catch (e) {
      tell(e instanceof DOMException ? 'The browser does not allow copying' : (e as Error).message)
    }
  }
</script>

<div class="flex items-center gap-2">
  <span class="text-2xs text-quiet" role="status">{said}</span>
  {#if csv}
    <button class="button" onclick={() => copy(csv, 'CSV')}><Copy class="size-3.5" aria-hidden="true" />Copy</button>
  {/if}
  {#if take}<DownloadMenu {take} onreport={tell} />{/if}
  <button class="button" onclick={() => copy(() => location.href, 'Link')}>
    <LinkIcon class="size-3.5" aria-hidden="true" />Link
  </button>
</div>
