<script lang="ts">
  import { moment } from './session'

  // A link that lets somebody in once.
  let { name, link, until, ondone }: { name: string; link: string; until: string; ondone: () => void } = $props()
</script>

<div class="mb-3 rounded-lg border border-inside bg-inside-wash p-3" role="status" data-one-time>
  <p>
    By this link <b>{name}</b> sets a password, once, until {moment(until)}. Hand it on by a way that nobody else reads;
    it is not shown again.
  </p>
  <div class="mt-2 flex flex-wrap items-center gap-2">
    <code class="min-w-0 flex-1 font-mono break-all" data-link>{link}</code>
    <button class="button" onclick={() => void navigator.clipboard.writeText(link)}>Copy</button>
    <button class="button" onclick={ondone}>Done</button>
  </div>
</div>
