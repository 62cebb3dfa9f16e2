<script lang="ts">
  import { QueryClientProvider } from '@tanstack/svelte-query'
  import { Router } from 'sv-router'
  import './router'
  import AppShell from './ui/AppShell.svelte'
  import { queryClient } from './api/queries'
</script>

<QueryClientProvider client={queryClient}>
  <AppShell>
    <Router />
  </AppShell>
</QueryClientProvider>
