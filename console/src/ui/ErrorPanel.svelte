<script lang="ts">
  import { RefusedError, UnreachableError, type ExpressionError } from '../api/client'

  // What went wrong, what to do, and a way to try again. Where an expression is refused, what it may have meant is a button
  // that puts it right, if the page says how.
  let {
    error,
    retry,
    mend,
  }: { error: Error; retry?: () => void; mend?: (pointer: string, expression: string) => void } = $props()

  const problem = $derived(error instanceof RefusedError ? error.problem : null)
  const expression = $derived<ExpressionError | undefined>(problem?.expression)
</script>

<div class="card border-worse/40 px-4 py-3" role="alert">
  <div class="flex flex-wrap items-center gap-3">
    <span class="font-semibold text-worse">{error instanceof UnreachableError ? 'No answer' : 'Refused'}</span>
    <span class="min-w-0 flex-1">{error.message}</span>
    {#if retry}<button class="button" onclick={retry}>Try again</button>{/if}
  </div>
  {#if mend && problem?.pointer && expression?.offers && expression.offers.length > 0}
    {@const pointer = problem.pointer}
    <p class="mt-2 flex flex-wrap items-center gap-1.5" data-offers>
      <span class="text-quiet">Take instead</span>
      {#each expression.offers as offer (offer)}
        <button type="button" class="chip font-mono hover:border-inside" onclick={() => mend(pointer, offer)}
          >{offer}</button
        >
      {/each}
    </p>
  {/if}
</div>
