<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query'
  import { api, data, type Schemas } from '../../api/client'
  import { scrolls } from '../../ui/scrolls'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'
  import OneTime from './OneTime.svelte'
  import { moment, names, roles, type Role } from './session'

  // The accounts: who may sign in, and what they may do.
  const client = useQueryClient()
  const accounts = createQuery(() => ({
    queryKey: ['accounts'],
    queryFn: async () => data(await api.GET('/accounts')).items,
  }))
  let name = $state('')
  let role = $state<Role>('reader')
  let groups = $state('')
  let link = $state<{ name: string; link: string; until: string } | null>(null)
  let error = $state<Error | null>(null)

  async function attempt(work: () => Promise<void>) {
    error = null
    try {
      await work()
    } catch (e) {
      error = e as Error
    }
    await client.invalidateQueries({ queryKey: ['accounts'] })
  }
  const add = () =>
    attempt(async () => {
      const made = data(await api.POST('/accounts', { body: { name, role, groups: names(groups) } }))
      link = { name: made.account.name, link: made.link, until: made.expires_at }
      name = ''
      groups = ''
    })
  const change = (account: string, body: Schemas['AccountChange']) =>
    attempt(async () => void data(await api.PATCH('/accounts/{account}', { params: { path: { account } }, body })))
  const reset = (account: string) =>
    attempt(async () => {
      const made = data(await api.POST('/accounts/{account}/reset', { params: { path: { account } } }))
      link = { name: account, link: made.link, until: made.expires_at }
    })
</script>

<svelte:head><title>Accounts · Vast Span</title></svelte:head>

<div class="mb-2.5 flex flex-wrap items-center gap-3">
  <h1 class="text-xl font-semibold tracking-tight">Accounts</h1>
  <span class="text-quiet">roles and groups; groups decide which datasets an account may see</span>
</div>
{#if error}<div class="mb-3"><ErrorPanel {error} /></div>{/if}
{#if link}<OneTime {...link} ondone={() => (link = null)} />{/if}

<section class="card p-4">
  <form
    class="flex flex-wrap items-end gap-2.5"
    data-add-account
    onsubmit={(e) => {
      e.preventDefault()
      void add()
    }}
  >
    <div>
      <label class="label" for="account-name">Name</label>
      <input
        id="account-name"
        class="field w-44!"
        autocomplete="off"
        autocapitalize="none"
        spellcheck="false"
        maxlength="60"
        required
        bind:value={name}
      />
    </div>
    <div>
      <label class="label" for="account-role">Role</label>
      <select id="account-role" class="field w-36!" bind:value={role}>
        {#each roles as r (r.value)}<option value={r.value}>{r.label}</option>{/each}
      </select>
    </div>
    <div>
      <label class="label" for="account-groups">Groups</label>
      <input id="account-groups" class="field w-56!" placeholder="harbour, finance" bind:value={groups} />
    </div>
    <button class="button button-strong">Add</button>
    <span class="min-w-0 flex-1 self-center text-quiet">{roles.find((r) => r.value === role)?.hint}</span>
  </form>
</section>

{#if accounts.isError}
  <div class="mt-3"><ErrorPanel error={accounts.error} retry={() => void accounts.refetch()} /></div>
{:else}
  <section class="card mt-3.5 overflow-x-auto" {@attach scrolls}>
    <table class="w-full" data-accounts>
      <thead>
        <tr class="text-left text-quiet">
          <th class="px-4 py-2 font-normal">Name</th><th class="px-3 font-normal">Role</th>
          <th class="px-3 font-normal">Groups</th><th class="px-3 font-normal">Last signed in</th>
          <th class="px-4"><span class="sr-only">What can be done</span></th>
        </tr>
      </thead>
      <tbody>
        {#each accounts.data ?? [] as a (a.name)}
          <tr class={['h-11 border-t border-line/60', a.disabled && 'text-quiet']} data-account={a.name}>
            <td class="px-4 py-1.5 font-semibold whitespace-nowrap"
              >{a.name}{#if a.disabled}<span class="chip ml-2">disabled</span>{/if}{#if a.no_role_since}<span
                  class="chip ml-2"
                  title="None of its groups at the identity provider has a role. Its sessions have ended, and its keys are refused."
                  >no role</span
                >{/if}{#if a.signs_on}<span class="chip ml-2" title="Role and groups are those of the provider"
                  >signs on</span
                >{/if}</td
            >
            <td class="px-3"
              ><select
                class="field w-36!"
                aria-label={`Role of ${a.name}`}
                value={a.role}
                disabled={a.disabled || a.signs_on}
                onchange={(e) => void change(a.name, { role: e.currentTarget.value as Role })}
              >
                {#each roles as r (r.value)}<option value={r.value}>{r.label}</option>{/each}
              </select></td
            >
            <td class="px-3"
              ><input
                class="field w-56!"
                aria-label={`Groups of ${a.name}`}
                value={a.groups.join(', ')}
                disabled={a.disabled || a.signs_on}
                onchange={(e) => void change(a.name, { groups: names(e.currentTarget.value) })}
              /></td
            >
            <td class="px-3 whitespace-nowrap text-quiet">{a.signed_in_at ? moment(a.signed_in_at) : 'never'}</td>
            <td class="px-4 text-right whitespace-nowrap">
              {#if a.disabled}
                <button class="chip" onclick={() => void change(a.name, { disabled: false })}>Enable</button>
              {:else}
                {#if !a.signs_on}<button class="chip" onclick={() => void reset(a.name)}>Reset password…</button>{/if}
                <button class="chip" onclick={() => void change(a.name, { disabled: true })}>Disable</button>
              {/if}
            </td>
          </tr>
        {/each}
      </tbody>
    </table>
  </section>
{/if}
