<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query'
  import { api, data, succeed, type Schemas } from '../../api/client'
  import { useDatasets } from '../../api/queries'
  import { scrolls } from '../../ui/scrolls'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'
  import { lastDay, moment, roles, type Role } from './session'

  // The keys by which programs call.
  let { role, administrator }: { role: string; administrator: boolean } = $props()

  const client = useQueryClient()
  const datasets = useDatasets()
  let everybody = $state(false)
  const keys = createQuery(() => ({
    queryKey: ['keys', everybody],
    queryFn: async () => data(await api.GET('/keys', { params: { query: { all: everybody, limit: 500 } } })).items,
  }))
  let name = $state('')
  let most = $state<Role>('reader')
  let last = $state('')
  let only = $state<string[]>([])
  let made = $state<Schemas['NewKey'] | null>(null)
  let error = $state<Error | null>(null)
  const fitting = $derived(roles.slice(0, roles.findIndex((r) => r.value === role) + 1))

  async function attempt(work: () => Promise<void>) {
    error = null
    try {
      await work()
      await client.invalidateQueries({ queryKey: ['keys'] })
    } catch (e) {
      error = e as Error
    }
  }
  const create = () =>
    attempt(async () => {
      const body = {
        name: name.trim().toLowerCase(),
        role: most,
        datasets: only,
        ...(last ? { expires_on: last } : {}),
      }
      made = data(await api.POST('/keys', { body }))
      name = ''
      only = []
    })
  const revoke = (id: number) =>
    attempt(async () => succeed(await api.DELETE('/keys/{id}', { params: { path: { id } } })))
  const stateOf = (k: Schemas['Key']) =>
    k.revoked_at
      ? 'revoked'
      : !k.good
        ? 'run out'
        : k.expires_at
          ? `good through ${lastDay(k.expires_at)}`
          : 'does not run out'
</script>

<section class="card mt-3.5 p-4" aria-label="Keys">
  <div class="mb-2 flex flex-wrap items-center gap-2">
    <h2 class="font-semibold">Keys</h2>
    <span class="text-quiet"
      >by which programs call in your name: <code class="font-mono">Authorization: Bearer …</code></span
    >
    {#if administrator}
      <label class="ml-auto flex items-center gap-1.5"
        ><input type="checkbox" bind:checked={everybody} />those of everybody</label
      >
    {/if}
  </div>
  {#if error}<div class="mb-2"><ErrorPanel {error} /></div>{/if}
  {#if made}
    <div class="mb-3 rounded-lg border border-inside bg-inside-wash p-3" role="status" data-new-key>
      <p><b>{made.key.name}</b> is shown this once, and never again. Keep it where programs read it from.</p>
      <div class="mt-2 flex flex-wrap items-center gap-2">
        <code class="min-w-0 flex-1 font-mono break-all" data-secret>{made.secret}</code>
        <button class="button" onclick={() => void navigator.clipboard.writeText(made?.secret ?? '')}>Copy</button>
        <button class="button" onclick={() => (made = null)}>Done</button>
      </div>
    </div>
  {/if}
  <form
    class="mb-3 flex flex-wrap items-end gap-2.5"
    data-create-key
    onsubmit={(e) => {
      e.preventDefault()
      void create()
    }}
  >
    <div>
      <label class="label" for="key-name">Name</label>
      <input id="key-name" class="field w-44!" placeholder="nightly-report" maxlength="60" required bind:value={name} />
    </div>
    <div>
      <label class="label" for="key-role">May do as much as</label>
      <select id="key-role" class="field w-36!" bind:value={most}>
        {#each fitting as r (r.value)}<option value={r.value}>{r.label}</option>{/each}
      </select>
    </div>
    <div>
      <label class="label" for="key-last">Through</label>
      <input id="key-last" type="date" class="field w-40!" bind:value={last} />
    </div>
    {#if (datasets.data?.length ?? 0) > 0}
      <fieldset>
        <legend class="label">Datasets (leave empty for all that you can see)</legend>
        <div class="flex flex-wrap gap-1">
          {#each datasets.data ?? [] as d (d.name)}
            <button
              type="button"
              class={['chip', only.includes(d.name) && 'chip-on']}
              aria-pressed={only.includes(d.name)}
              onclick={() => (only = only.includes(d.name) ? only.filter((n) => n !== d.name) : [...only, d.name])}
              >{d.name}</button
            >
          {/each}
        </div>
      </fieldset>
    {/if}
    <button class="button button-strong">Create a key</button>
  </form>
  {#if (keys.data?.length ?? 0) > 0}
    <div class="overflow-x-auto" {@attach scrolls}>
      <table class="w-full" data-keys>
        <thead>
          <tr class="text-left text-quiet">
            {#if everybody}<th class="pr-3 font-normal">Account</th>{/if}
            <th class="pr-3 font-normal">Name</th><th class="px-3 font-normal">Begins</th>
            <th class="px-3 font-normal">Role</th><th class="px-3 font-normal">For</th>
            <th class="px-3 font-normal">State</th><th class="px-3 font-normal">Last used</th>
            <th class="pl-3"><span class="sr-only">Revoke</span></th>
          </tr>
        </thead>
        <tbody>
          {#each keys.data ?? [] as k (k.id)}
            <tr class={['h-9 border-t border-line/60', !k.good && 'text-quiet']}>
              {#if everybody}<td class="pr-3">{k.account}</td>{/if}
              <td class="pr-3 font-semibold whitespace-nowrap">{k.name}</td>
              <td class="px-3 font-mono">{k.hint}…</td>
              <td class="px-3">{k.role}</td>
              <td class="px-3">{k.datasets.length > 0 ? k.datasets.join(', ') : 'all datasets'}</td>
              <td class="px-3 whitespace-nowrap">{stateOf(k)}</td>
              <td class="px-3 whitespace-nowrap text-quiet">{k.used_at ? moment(k.used_at) : 'never'}</td>
              <td class="pl-3 text-right"
                >{#if k.good}<button class="chip" onclick={() => void revoke(k.id)} aria-label={`Revoke ${k.name}`}
                    >Revoke</button
                  >{/if}</td
              >
            </tr>
          {/each}
        </tbody>
      </table>
    </div>
  {:else if keys.data}<p class="text-quiet">None.</p>{/if}
</section>
