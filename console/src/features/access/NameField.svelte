<script lang="ts">
  // The name of an account, as it is typed to get in.
  let { value = $bindable() }: { value: string } = $props()
</script>

<div>
  <label class="label" for="name">Name</label>
  <!-- svelte-ignore a11y_autofocus -->
  <input
    id="name"
    class="field min-h-9"
    autocomplete="username"
    autocapitalize="none"
    spellcheck="false"
    maxlength="60"
    required
    autofocus
    bind:value
  />
</div>
