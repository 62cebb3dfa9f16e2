import { createRouter } from 'sv-router'
import type { Role } from './features/access/session'
import NoAnswer from './ui/NoAnswer.svelte'
import NotFound from './ui/NotFound.svelte'

// A page is fetched when it is first opened; this one is shown instead if the service does not answer.
const away = () => ({ default: NoAnswer })

export const { navigate, route } = createRouter({
  '/': () => import('./features/spans/Spans.svelte').catch(away),
  '/span/:name': () => import('./features/spans/Span.svelte').catch(away),
  '/check': () => import('./features/spans/Check.svelte').catch(away),
  '/totals': () => import('./features/totals/Totals.svelte').catch(away),
  '/drivers': () => import('./features/drivers/Drivers.svelte').catch(away),
  '/lines': () => import('./features/lines/Lines.svelte').catch(away),
  '/records': () => import('./features/records/Records.svelte').catch(away),
  '/ageing': () => import('./features/ageing/Ageing.svelte').catch(away),
  '/briefs': () => import('./features/briefs/Briefs.svelte').catch(away),
  '/brief/:name': () => import('./features/briefs/Brief.svelte').catch(away),
  '/receipts': () => import('./features/receipts/Receipts.svelte').catch(away),
  '/receipt/:id': () => import('./features/receipts/Receipt.svelte').catch(away),
  '/calendars': () => import('./features/calendars/Calendars.svelte').catch(away),
  '/events': () => import('./features/events/Events.svelte').catch(away),
  '/data': () => import('./features/data/Data.svelte').catch(away),
  '/accounts': () => import('./features/access/Accounts.svelte').catch(away),
  '/audit': () => import('./features/access/Audit.svelte').catch(away),
  '/service': () => import('./features/service/State.svelte').catch(away),
  '/you': () => import('./features/access/You.svelte').catch(away),
  '/sign-in': () => import('./features/access/You.svelte').catch(away),
  '/welcome': () => import('./features/access/You.svelte').catch(away),
  '*': NotFound,
})

/** The pages in the order of the navigation, with the key that leads to each after g. */
export const pages = [
  {
    title: 'Ask',
    pages: [
      { path: '/briefs', of: '/brief/', name: 'Briefs', key: 'b' },
      { path: '/totals', name: 'Totals', key: 't' },
      { path: '/drivers', name: 'Drivers', key: 'w' },
      { path: '/lines', name: 'Lines', key: 'l' },
      { path: '/records', name: 'Records', key: 'r' },
      { path: '/ageing', name: 'Ageing', key: 'a' },
    ],
  },
  {
    title: 'Definitions',
    pages: [
      { path: '/', of: '/span/', name: 'Spans', key: 's' },
      { path: '/calendars', name: 'Calendars', key: 'c' },
      { path: '/events', name: 'Events', key: 'e' },
      { path: '/check', name: 'Check', key: 'k' },
    ],
  },
  {
    title: 'Data',
    pages: [
      { path: '/data', name: 'Datasets', key: 'd' },
      { path: '/receipts', of: '/receipt/', name: 'Receipts', key: 'f' },
    ],
  },
  {
    title: 'Service',
    pages: [
      { path: '/accounts', name: 'Accounts', key: 'p', accounts: true, role: 'administrator' },
      { path: '/audit', name: 'Audit', key: 'u', role: 'auditor' },
      { path: '/service', name: 'Status', key: 'i', role: 'administrator' },
    ],
  },
] as {
  title: string
  /** A page with accounts is of no use where there are none. role is the one that a page needs, reader where it is left out. */
  pages: { path: string; of?: string; name: string; key: string; accounts?: boolean; role?: Role }[]
}[]
