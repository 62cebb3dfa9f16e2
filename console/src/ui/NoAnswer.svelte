<script lang="ts">
  // In place of a page that could not be fetched.
  import { UnreachableError } from '../api/client'
  import ErrorPanel from './ErrorPanel.svelte'
</script>

<ErrorPanel error={new UnreachableError()} retry={() => location.reload()} />
