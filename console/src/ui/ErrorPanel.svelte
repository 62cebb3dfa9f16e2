<script lang="ts">
  // What went wrong, what to do, and a way to try again.
  let { error, retry }: { error: Error; retry?: () => void } = $props()
</script>

<div class="card flex flex-wrap items-center gap-3 border-worse/40 px-4 py-3" role="alert">
  <span class="font-semibold text-worse">Refused</span>
  <span class="min-w-0 flex-1">{error.message}</span>
  {#if retry}<button class="button" onclick={retry}>Try again</button>{/if}
</div>
