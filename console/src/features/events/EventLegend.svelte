<script lang="ts">
  import { type Occurrence } from './events'

  // Which events the marks are of.
  let { occurrences }: { occurrences: Occurrence[] } = $props()
  const lists = $derived([...new Map(occurrences.map((o) => [o.list, o.colour])).entries()])
</script>

{#if lists.length > 0}
  <p class="mt-1.5 flex flex-wrap gap-x-3 text-2xs text-quiet" data-event-legend>
    <span>events:</span>
    {#each lists as [name, colour] (name)}
      <span class="whitespace-nowrap"
        ><span
          class="mr-1 inline-block h-1 w-3 rounded-xs align-middle"
          style:background-color={colour}
          aria-hidden="true"
        ></span>{name}</span
      >
    {/each}
  </p>
{/if}
