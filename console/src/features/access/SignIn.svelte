<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query'
  import { api, data } from '../../api/client'
  import { param } from '../../lib/address.svelte'
  import { navigate, route } from '../../router'
  import Card from './Card.svelte'
  import NameField from './NameField.svelte'
  import { letIn, type SessionState } from './session'

  let { session }: { session: SessionState } = $props()

  const client = useQueryClient()
  let name = $state('')
  let password = $state('')
  let busy = $state(false)
  let error = $state<string | null>(null)
  // An address says why by a code: no text of a link is shown.
  const reasons: Record<string, string> = {
    'no-role': 'None of your groups has a role in this service. Ask its administrators.',
    'name-taken': 'Another account already has your name. Ask an administrator.',
    disabled: 'Your account is disabled. Ask an administrator.',
    unavailable: 'The identity provider does not answer. Try again in a while.',
    failed: 'Signing on did not work. Try again.',
  }
  const why = $derived(error ?? (param('why') ? (reasons[param('why') ?? ''] ?? reasons.failed) : null))

  async function signIn() {
    busy = true
    error = null
    try {
      const state = data(await api.POST('/session', { body: { name, password } }))
      letIn(client, state)
      if (route.pathname === '/sign-in') void navigate('/')
    } catch (e) {
      error = (e as Error).message
      password = ''
    } finally {
      busy = false
    }
  }
</script>

<Card title="Sign in">
  {#if !session.accounts}
    <p>This service has no accounts: everybody who reaches it is let in.</p>
    <a class="button button-strong mt-4" href="/">To the spans</a>
  {:else}
    <form
      class="grid gap-3"
      data-sign-in
      onsubmit={(e) => {
        e.preventDefault()
        void signIn()
      }}
    >
      <NameField bind:value={name} />
      <div>
        <label class="label" for="password">Password</label>
        <input
          id="password"
          type="password"
          class="field min-h-9"
          autocomplete="current-password"
          required
          bind:value={password}
        />
      </div>
      {#if why}<p class="text-worse" role="alert">{why}</p>{/if}
      <button class="button button-strong min-h-9 justify-center" disabled={busy}>Sign in</button>
    </form>
    {#if session.sign_on}
      <p class="my-3 text-center text-quiet">or</p>
      <a class="button min-h-9 w-full justify-center" href="/api/v1/sign-on" rel="external"
        >Sign on by {session.sign_on}</a
      >
    {/if}
    <p class="mt-4 text-2xs text-quiet">
      Who has forgotten a password asks an administrator for a link. After some tries that fail one has to wait.
    </p>
  {/if}
</Card>
