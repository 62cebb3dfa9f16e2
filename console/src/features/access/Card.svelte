<script lang="ts">
  import { type Snippet } from 'svelte'
  import Mark from '../../ui/Mark.svelte'

  // The page of who is not in yet: one card.
  let { title, children }: { title: string; children: Snippet } = $props()
</script>

<svelte:head><title>{title} · Vast Span</title></svelte:head>
<main class="grid min-h-screen place-items-center px-3 py-8">
  <div class="w-full max-w-sm">
    <p class="mb-4 flex items-center justify-center gap-2">
      <Mark /><span class="text-[1.0625rem] font-semibold tracking-tight">Vast Span</span>
    </p>
    <section class="card p-6">
      <h1 class="mb-4 text-lg font-semibold tracking-tight">{title}</h1>
      {@render children()}
    </section>
  </div>
</main>
