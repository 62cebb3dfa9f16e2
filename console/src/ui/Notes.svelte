<script lang="ts">
  import type { Note } from '../api/client'

  // What has to be known to read an answer; warnings first.
  let { notes, leaveOut = [] }: { notes: Note[]; leaveOut?: string[] } = $props()

  const rank = { warning: 0, caution: 1, info: 2 }
  const shown = $derived(
    notes.filter((n) => !leaveOut.includes(n.code)).toSorted((a, b) => rank[a.level] - rank[b.level]),
  )
</script>

<div class="mt-2.5 text-quiet" data-notes>
  {#each shown as n (n.text)}
    <p class="mt-1" data-note={n.code}>
      {#if n.level === 'caution'}<b class="font-semibold text-worse">Caution</b>{/if}
      <span class={n.level === 'warning' ? 'font-semibold text-worse' : ''}>{n.text}</span>
    </p>
  {/each}
</div>
