<script lang="ts">
  import { type Snippet } from 'svelte'
  import { useQueryClient } from '@tanstack/svelte-query'
  import { RefusedError } from '../../api/client'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'
  import { route } from '../../router'
  import { useSession } from './session'
  import SignIn from './SignIn.svelte'
  import Welcome from './Welcome.svelte'

  // Lets in who may see the pages; others are asked to sign in, at the address that they came to.
  let { children }: { children: Snippet } = $props()

  const session = useSession()
  const client = useQueryClient()
  // A session that has ended meanwhile shows in the first answer that says so.
  $effect(() =>
    client.getQueryCache().subscribe((event) => {
      const error = event.query.state.error
      if (event.query.queryKey[0] !== 'session' && error instanceof RefusedError && error.problem.code === 'sign_in') {
        if (session.data?.signed_in) void client.invalidateQueries({ queryKey: ['session'] })
      }
    }),
  )
</script>

{#if route.pathname === '/welcome'}
  <Welcome />
{:else if session.isError}
  <main class="mx-auto mt-24 max-w-xl px-3">
    <ErrorPanel error={session.error} retry={() => void session.refetch()} />
  </main>
{:else if session.data && (!session.data.signed_in || route.pathname === '/sign-in')}
  <SignIn session={session.data} />
{:else if session.data}
  {@render children()}
{/if}
