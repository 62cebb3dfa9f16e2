<script lang="ts">
  import { QueryClientProvider } from '@tanstack/svelte-query'
  import { Router } from 'sv-router'
  import './router'
  import Gate from './features/access/Gate.svelte'
  import AppShell from './ui/AppShell.svelte'
  import { queryClient } from './api/queries'
</script>

<QueryClientProvider client={queryClient}>
  <Gate>
    <AppShell>
      <Router />
    </AppShell>
  </Gate>
</QueryClientProvider>
