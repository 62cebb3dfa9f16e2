<script lang="ts">
  import ErrorPanel from '../../ui/ErrorPanel.svelte'
  import { useBriefs } from './briefs'
  import { carried } from '../../lib/address.svelte'

  const briefs = useBriefs()
  const basis = (asOf: string | undefined) =>
    !asOf || asOf === 'latest'
      ? 'as of the earliest of the newest days of its datasets'
      : asOf === 'today'
        ? 'as of today'
        : `as of ${asOf}`
</script>

<svelte:head><title>Briefs · Vast Span</title></svelte:head>

<div class="mb-2.5 flex flex-wrap items-center gap-3">
  <h1 class="text-xl font-semibold tracking-tight">Briefs</h1>
  <span class="text-quiet">pages that roll over by themselves</span>
</div>

{#if briefs.isError}
  <ErrorPanel error={briefs.error} retry={() => void briefs.refetch()} />
{:else if briefs.isPending}
  <div class="card h-40 animate-pulse" aria-busy="true" aria-label="Loading the briefs"></div>
{:else if briefs.data.length === 0}
  <section class="card p-8 text-center">
    <h2 class="font-semibold">No brief yet</h2>
    <p class="mt-1 text-quiet">
      Ask something on <a class="text-inside underline" href={'/totals' + carried()}>Totals</a> and press
      <b>Add to a brief</b>, or load a span book that has one.
    </p>
  </section>
{:else}
  <ul class="grid gap-3.5 sm:grid-cols-2 lg:grid-cols-3" data-briefs>
    {#each briefs.data as b (b.definition.name)}
      <li>
        <a class="card block h-full p-4 hover:border-quiet" href={`/brief/${b.definition.name}${carried()}`}>
          <b class="block truncate text-base font-semibold" title={b.definition.title}>{b.definition.title}</b>
          <span class="mt-0.5 block text-quiet"
            >{basis(b.definition.as_of)}{b.definition.calendar ? `, ${b.definition.calendar}` : ''}</span
          >
          {#if b.definition.about}<span class="mt-2 line-clamp-2">{b.definition.about}</span>{/if}
          <span class="mt-2 block text-2xs text-quiet"
            >{b.definition.items.length}
            {b.definition.items.length === 1 ? 'item' : 'items'}, version {b.version}, changed {new Date(
              b.changed_at,
            ).toLocaleDateString('en-GB', { dateStyle: 'medium' })} by {b.author}</span
          >
        </a>
      </li>
    {/each}
  </ul>
{/if}
