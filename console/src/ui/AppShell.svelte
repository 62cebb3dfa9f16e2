<script lang="ts">
  import UserRound from '@lucide/svelte/icons/user-round'
  import { type Snippet } from 'svelte'
  import { useBriefs } from '../features/briefs/briefs'
  import { useEventLists } from '../features/events/events'
  import { useReceipts } from '../features/receipts/receipts'
  import { useCalendars, useDatasets, useSpans } from '../api/queries'
  import { carried, param } from '../lib/address.svelte'
  import { may, useSession } from '../features/access/session'
  import { navigate, pages, route } from '../router'
  import UploadTray from '../features/data/UploadTray.svelte'
  import Ask from './Ask.svelte'
  import AsOfBar from './AsOfBar.svelte'
  import { keepFocus } from './focus'
  import Shortcuts from './Shortcuts.svelte'
  import Mark from './Mark.svelte'

  let { children }: { children: Snippet } = $props()

  const spans = useSpans()
  const datasets = useDatasets()
  const calendars = useCalendars()
  const events = useEventLists()
  const briefs = useBriefs()
  const receipts = useReceipts()
  // How many there are of what some pages list.
  const counts = $derived<Record<string, number | undefined>>({
    Briefs: briefs.data?.length,
    Spans: spans.data?.length,
    Calendars: calendars.data?.length,
    Events: events.data?.length,
    Receipts: receipts.data?.length,
  })

  const session = useSession()
  const groups = $derived(
    pages
      .map((g) => ({
        ...g,
        pages: g.pages.filter((p) => (!p.accounts || session.data?.accounts) && may(session.data, p.role ?? 'reader')),
      }))
      .filter((g) => g.pages.length > 0),
  )

  // A role that sees no pages of records begins with the audit.
  $effect(() => {
    const own = ['/audit', '/you'].includes(route.pathname)
    if (may(session.data, 'auditor') && !may(session.data, 'reader') && !own) void navigate('/audit', { replace: true })
  })

  // Pages that read nothing as of a day.
  const still = $derived(['/accounts', '/audit', '/service', '/you'].includes(route.pathname))

  // A dataset that was chosen on one page is the one looked at on the next.
  const link = (path: string) => {
    const dataset = param('dataset')
    const tail = carried()
    if (!dataset) return path + tail
    return path + (tail ? tail + '&' : '?') + 'dataset=' + encodeURIComponent(dataset)
  }
</script>

<a class="button sr-only focus:not-sr-only focus:absolute focus:z-50 focus:m-2" href="#main">Skip to the page</a>
<div
  data-role={session.data?.role}
  {@attach keepFocus}
  class="min-h-screen md:grid md:grid-cols-[11.5rem_1fr] print:block"
>
  <nav
    class={[
      'flex items-center gap-1 overflow-x-auto border-b border-line px-3 py-2 print:hidden',
      'md:sticky md:top-0 md:block md:h-screen md:overflow-y-auto md:border-r md:border-b-0 md:py-4',
    ]}
    aria-label="Pages"
  >
    <a class="mr-2 flex items-center gap-2 rounded px-2 md:mb-5" href={link('/')}>
      <Mark />
      <span class="sr-only text-[1.0625rem] font-semibold tracking-tight sm:not-sr-only">Vast Span</span>
    </a>
    {#each groups as group, g (group.title)}
      {#if g > 0}<h2 class="mt-5 mb-1 hidden px-2.5 text-2xs text-quiet md:block">{group.title}</h2>{/if}
      {#each group.pages as page (page.path)}
        {@const here = route.pathname === page.path || (page.of !== undefined && route.pathname.startsWith(page.of))}
        <a
          class={[
            'flex items-center justify-between rounded-lg px-2.5 py-1.5 md:mb-0.5',
            here ? 'bg-chosen font-semibold' : 'hover:bg-ahead',
          ]}
          href={link(page.path)}
          aria-current={here ? 'page' : undefined}
        >
          {page.name}
          {#if counts[page.name] !== undefined}<span class={['hidden font-normal md:inline', !here && 'text-quiet']}
              >{counts[page.name]}</span
            >{/if}
        </a>
      {/each}
    {/each}
    {#if datasets.data && datasets.data.length > 0}
      <div class="mt-6 hidden px-2.5 md:block">
        <h2 class="mb-1 text-2xs text-quiet">Datasets</h2>
        {#each datasets.data as d (d.name)}
          <a
            class="flex justify-between rounded py-1 hover:text-inside"
            href={(d.min_records ? '/totals' : '/records') +
              (carried() ? carried() + '&' : '?') +
              'dataset=' +
              encodeURIComponent(d.name)}
          >
            <span class="truncate">{d.name}</span><span class="text-quiet" title={d.trouble ?? null}
              >{d.trouble ? '?' : d.records.toLocaleString('en')}</span
            >
          </a>
        {/each}
      </div>
    {/if}
    {#if session.data?.accounts}
      <a
        class={[
          'flex items-center gap-2 rounded-lg px-2.5 py-1.5 md:mt-4',
          route.pathname === '/you' ? 'bg-chosen font-semibold' : 'hover:bg-ahead',
        ]}
        href={link('/you')}
        data-you-link
        ><UserRound class="size-4 text-quiet" aria-hidden="true" /><span class="truncate">{session.data.name}</span></a
      >
    {/if}
    <Shortcuts />
  </nav>
  <div class="min-w-0">
    {#if !still}<AsOfBar />{/if}
    <main id="main" class="mx-auto max-w-[100rem] px-3 py-4 sm:px-5" tabindex="-1">
      {@render children()}
    </main>
  </div>
  <UploadTray />
  <Ask />
</div>
