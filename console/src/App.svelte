<script lang="ts">
  import { QueryClientProvider } from '@tanstack/svelte-query'
  import { Router } from 'sv-router'
  import './router'
  import Frame from './components/Frame.svelte'
  import { queryClient } from './lib/queries'
</script>

<QueryClientProvider client={queryClient}>
  <Frame>
    <Router />
  </Frame>
</QueryClientProvider>
