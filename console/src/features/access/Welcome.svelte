<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query'
  import { api, data } from '../../api/client'
  import { navigate } from '../../router'
  import Card from './Card.svelte'
  import NameField from './NameField.svelte'
  import { letIn } from './session'
  import NewPassword from './NewPassword.svelte'

  // A one-time link leads here: what stands behind the number sign lets in, once.
  const link = location.hash.slice(1)
  const client = useQueryClient()
  const whom = createQuery(() => ({
    queryKey: ['link', link],
    queryFn: async () => data(await api.POST('/links/open', { body: { link } })),
    retry: false,
    staleTime: Infinity,
  }))
  let name = $state('')
  let password = $state('')
  let busy = $state(false)
  let error = $state<string | null>(null)

  async function set() {
    busy = true
    error = null
    try {
      const body = whom.data?.first ? { link, name, password } : { link, password }
      const state = data(await api.POST('/links/use', { body }))
      letIn(client, state)
      history.replaceState(null, '', '/welcome') // the link is used up, and need not stay in the address
      void navigate('/')
    } catch (e) {
      error = (e as Error).message
    } finally {
      busy = false
    }
  }
</script>

<Card title={whom.data?.first ? 'The first administrator' : 'Welcome'}>
  {#if whom.isError}
    <p role="alert">{whom.error.message}</p>
    <a class="button mt-4" href="/sign-in">Sign in</a>
  {:else if whom.data}
    <form
      class="grid gap-3"
      data-welcome
      onsubmit={(e) => {
        e.preventDefault()
        void set()
      }}
    >
      {#if whom.data.first}
        <p class="text-quiet">
          Nobody can sign in yet. Choose a name and a password; then you can let others in, each with a link of their
          own.
        </p>
        <NameField bind:value={name} />
      {:else}
        <p>You sign in as <b data-name>{whom.data.name}</b>. Choose a password.</p>
        <input
          class="sr-only"
          autocomplete="username"
          aria-hidden="true"
          tabindex="-1"
          readonly
          value={whom.data.name}
        />
      {/if}
      <NewPassword id="password" bind:value={password} />
      {#if error}<p class="text-worse" role="alert">{error}</p>{/if}
      <button class="button button-strong min-h-9 justify-center" disabled={busy}>Sign in from now on</button>
    </form>
  {/if}
</Card>
