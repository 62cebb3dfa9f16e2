<script lang="ts">
  import { createInfiniteQuery } from '@tanstack/svelte-query'
  import { api, data } from '../../api/client'
  import { param, setParam } from '../../lib/address.svelte'
  import { scrolls } from '../../ui/scrolls'
  import ErrorPanel from '../../ui/ErrorPanel.svelte'
  import { moment } from './session'

  // Who did what to which thing, and when.
  const fields = ['account', 'action', 'kind', 'name', 'from', 'through'] as const
  const asked = $derived(
    Object.fromEntries(fields.flatMap((f) => (param(f) ? [[f, param(f)]] : []))) as Record<string, string>,
  )
  const found = createInfiniteQuery(() => ({
    queryKey: ['audit', asked],
    queryFn: async ({ pageParam }: { pageParam: string }) =>
      data(
        await api.GET('/audit', {
          params: { query: { ...asked, limit: 100, ...(pageParam ? { after: pageParam } : {}) } },
        }),
      ),
    initialPageParam: '',
    getNextPageParam: (page: { next?: string }) => page.next,
    staleTime: 5_000,
  }))
  const entries = $derived(found.data?.pages.flatMap((p) => p.items) ?? [])
  const actions = [
    'created',
    'changed',
    'removed',
    'renamed',
    'ordered',
    'loaded',
    'undone',
    'attached',
    'retried',
    'taken away',
    'revoked',
    'signed in',
    'signed out',
    'refused',
  ]
  const kinds = [
    'span',
    'calendar',
    'holidays',
    'brief',
    'dataset',
    'access',
    'load',
    'receipt',
    'schedule',
    'delivery',
    'account',
    'password',
    'link',
    'session',
    'key',
    'sign-in',
    'sign-on',
    'operation',
    'backup',
    'published days',
  ]
  const means: Record<string, string> = {
    session: 'signed in',
    key: 'by key',
    server: 'on the server',
    service: 'the service itself',
    none: '',
  }
  function detail(d: Record<string, unknown>): string {
    return Object.entries(d)
      .filter(([, v]) => v !== null && v !== '' && !(Array.isArray(v) && v.length === 0))
      .map(([k, v]) => `${k.replaceAll('_', ' ')} ${typeof v === 'object' ? JSON.stringify(v) : String(v)}`)
      .join(', ')
  }
</script>

<svelte:head><title>Audit · Vast Span</title></svelte:head>

<div class="mb-2.5 flex flex-wrap items-center gap-3">
  <h1 class="text-xl font-semibold tracking-tight">Audit</h1>
  <span class="text-quiet">who changed what, and when; entries are only added</span>
</div>
<section class="card mb-3.5 flex flex-wrap items-end gap-2.5 p-4" aria-label="What is looked for">
  <div>
    <label class="label" for="audit-account">Account</label>
    <input
      id="audit-account"
      class="field w-36!"
      value={param('account') ?? ''}
      onchange={(e) => setParam('account', e.currentTarget.value || null)}
    />
  </div>
  {#each [{ name: 'action', label: 'Done', list: actions }, { name: 'kind', label: 'To', list: kinds }] as f (f.name)}
    <div>
      <label class="label" for={'audit-' + f.name}>{f.label}</label>
      <select
        id={'audit-' + f.name}
        class="field w-36!"
        value={param(f.name) ?? ''}
        onchange={(e) => setParam(f.name, e.currentTarget.value || null)}
      >
        <option value="">anything</option>
        {#each f.list as one (one)}<option>{one}</option>{/each}
      </select>
    </div>
  {/each}
  <div>
    <label class="label" for="audit-name">Named</label>
    <input
      id="audit-name"
      class="field w-44!"
      value={param('name') ?? ''}
      onchange={(e) => setParam('name', e.currentTarget.value || null)}
    />
  </div>
  {#each [{ name: 'from', label: 'From' }, { name: 'through', label: 'Through' }] as f (f.name)}
    <div>
      <label class="label" for={'audit-' + f.name}>{f.label}</label>
      <input
        id={'audit-' + f.name}
        type="date"
        class="field w-40!"
        value={param(f.name) ?? ''}
        onchange={(e) => setParam(f.name, e.currentTarget.value || null)}
      />
    </div>
  {/each}
</section>
{#if found.isError}
  <ErrorPanel error={found.error} retry={() => void found.refetch()} />
{:else}
  <section class="card overflow-x-auto" {@attach scrolls}>
    <table class="w-full" data-audit>
      <thead>
        <tr class="text-left text-quiet">
          <th class="px-4 py-2 font-normal">When</th><th class="px-3 font-normal">Who</th>
          <th class="px-3 font-normal">Did what</th><th class="px-4 font-normal">More</th>
        </tr>
      </thead>
      <tbody>
        {#each entries as e (e.id)}
          <tr class="border-t border-line/60 align-top">
            <td class="px-4 py-1.5 whitespace-nowrap text-quiet">{moment(e.at)}</td>
            <td class="px-3 py-1.5 whitespace-nowrap"
              ><b class="font-semibold">{e.account || 'the service'}</b>
              <span class="block text-2xs text-quiet"
                >{[e.account ? means[e.means] : '', e.address].filter((t) => t).join(', ')}</span
              ></td
            >
            <td class="px-3 py-1.5"
              ><span class={[e.action === 'refused' && 'font-semibold text-worse']}>{e.action}</span>
              {e.kind === 'session' ? '' : e.kind} <b class="font-semibold break-all">{e.name}</b></td
            >
            <td class="max-w-xl px-4 py-1.5 text-2xs break-words text-quiet">{detail(e.detail)}</td>
          </tr>
        {:else}
          <tr
            ><td colspan="4" class="px-4 py-6 text-center text-quiet"
              >{found.isPending ? '…' : 'Nothing was done that fits.'}</td
            ></tr
          >
        {/each}
      </tbody>
    </table>
  </section>
  {#if found.hasNextPage}
    <p class="mt-3 text-center">
      <button class="button" onclick={() => void found.fetchNextPage()}>Older ones</button>
    </p>
  {/if}
{/if}
