<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query'
  import { api, data, succeed } from '../../api/client'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'
  import Keys from './Keys.svelte'
  import NewPassword from './NewPassword.svelte'
  import { moment, roles, useSession } from './session'

  // Who is signed in: password, sessions and keys.
  const session = useSession()
  const client = useQueryClient()
  const sessions = createQuery(() => ({
    queryKey: ['sessions'],
    queryFn: async () => data(await api.GET('/sessions')).items,
    enabled: session.data?.accounts === true,
  }))
  let current = $state('')
  let password = $state('')
  let said = $state<string | null>(null)
  let error = $state<Error | null>(null)

  async function attempt(work: () => Promise<void>) {
    error = null
    said = null
    try {
      await work()
      await client.invalidateQueries({ queryKey: ['sessions'] })
    } catch (e) {
      error = e as Error
    }
  }
  const change = () =>
    attempt(async () => {
      succeed(await api.PUT('/password', { body: { current, password } }))
      current = ''
      password = ''
      said = 'The password is changed, and your other sessions have ended.'
    })
  const end = (id: number) =>
    attempt(async () => succeed(await api.DELETE('/sessions/{id}', { params: { path: { id } } })))
  async function leave() {
    await api.DELETE('/session')
    client.clear()
    location.assign('/sign-in')
  }
  const mayDo = $derived(roles.find((r) => r.value === session.data?.role)?.hint)
  /** What a browser is, as far as its long name says so. */
  const browser = (agent: string) =>
    /(Firefox|Edg|Chrome|Safari|curl)\/?[\d]*/.exec(agent)?.[0].replace('/', ' ').replace('Edg', 'Edge') ?? 'a program'
</script>

<svelte:head><title>You · Vast Span</title></svelte:head>

{#if session.data && !session.data.accounts}
  <section class="card mx-auto mt-16 max-w-md p-8 text-center">
    <h1 class="text-lg font-semibold">This service has no accounts</h1>
    <p class="mt-2 text-quiet">
      Everybody who reaches it is administrator. With <code class="font-mono">vastspan serve --accounts</code> people sign
      in.
    </p>
  </section>
{:else if session.data}
  <div class="mb-2.5 flex flex-wrap items-center gap-3">
    <h1 class="text-xl font-semibold tracking-tight" data-you>{session.data.name}</h1>
    <span
      >{session.data.role}{#if mayDo}<span class="text-quiet">: {mayDo}</span>{/if}</span
    >
    {#each session.data.groups as g (g)}<span class="chip">{g}</span>{/each}
    <button class="button ml-auto" onclick={() => void leave()} data-sign-out>Sign out</button>
  </div>
  {#if error}<ErrorPanel {error} />{/if}
  <div class="grid grid-cols-1 items-start gap-3.5 lg:grid-cols-2">
    <section class="card p-4">
      <h2 class="mb-2 font-semibold">Password</h2>
      <form
        class="grid max-w-sm gap-3"
        data-change-password
        onsubmit={(e) => {
          e.preventDefault()
          void change()
        }}
      >
        <input
          class="sr-only"
          autocomplete="username"
          aria-hidden="true"
          tabindex="-1"
          readonly
          value={session.data.name}
        />
        <div>
          <label class="label" for="current">Current password</label>
          <input
            id="current"
            type="password"
            class="field"
            autocomplete="current-password"
            required
            bind:value={current}
          />
        </div>
        <NewPassword id="new" label="New password" bind:value={password} />
        <div class="flex items-center gap-3">
          <button class="button">Change the password</button>
          {#if said}<span class="text-inside" role="status">{said}</span>{/if}
        </div>
      </form>
    </section>
    <section class="card p-4">
      <h2 class="mb-1 font-semibold">Where you are signed in</h2>
      <ul data-sessions>
        {#each sessions.data ?? [] as s (s.id)}
          <li class="flex flex-wrap items-center gap-x-3 border-t border-line/60 py-2 first:border-0">
            <b class="font-semibold" title={s.agent}>{browser(s.agent)}</b>
            <span class="text-quiet">from {s.address}, since {moment(s.created_at)}</span>
            {#if s.current}<span class="chip chip-on ml-auto">this one</span>
            {:else}<button class="chip ml-auto" onclick={() => void end(s.id)}>End it</button>{/if}
          </li>
        {/each}
      </ul>
    </section>
  </div>
  <Keys role={session.data.role} administrator={session.data.role === 'administrator'} />
{/if}
