<script lang="ts">
  import type { Span } from '../../api/client'
  import { useResolve, type Context } from '../../api/queries'
  import Steps from './Steps.svelte'

  // Why a named span has the days it has.
  let { span, context }: { span: Span | undefined; context: Context | null } = $props()

  const explained = useResolve(
    () => (span ? ['@' + span.definition.name] : []),
    () => context,
    true,
  )
</script>

<section class="card p-4" aria-label="Why these days">
  <h2 class="label">Why these days</h2>
  {#if span && explained.data?.resolutions[0]}
    {@const r = explained.data.resolutions[0]}
    {#if r.error}
      <p class="text-worse">{r.error.message}</p>
    {:else}
      <Steps resolution={r} />
      {#each r.cautions ?? [] as caution (caution.text)}
        <p class="mt-2 text-quiet"><b class="font-semibold text-worse">Caution</b> {caution.text}</p>
      {/each}
    {/if}
    {#if span.users.length > 0}<p class="mt-3 text-quiet">Used by {span.users.map((u) => '@' + u).join(', ')}</p>{/if}
  {:else}
    <p class="text-quiet">The steps are shown once the span is there.</p>
  {/if}
</section>
