<script lang="ts">
  import { carried } from '../lib/address.svelte'
</script>

<section class="card mx-auto mt-16 max-w-md p-8 text-center">
  <h1 class="text-lg font-semibold">There is no such page</h1>
  <p class="mt-2 text-quiet">The address leads nowhere. Perhaps it was shortened on its way.</p>
  <a class="button mt-5" href={'/' + carried()}>To the spans</a>
</section>
