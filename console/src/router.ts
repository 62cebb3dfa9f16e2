import { createRouter } from 'sv-router'
import NotFound from './ui/NotFound.svelte'

export const { navigate, route } = createRouter({
  '/': () => import('./features/spans/Spans.svelte'),
  '/span/:name': () => import('./features/spans/Span.svelte'),
  '/check': () => import('./features/spans/Check.svelte'),
  '/totals': () => import('./features/totals/Totals.svelte'),
  '/lines': () => import('./features/lines/Lines.svelte'),
  '/records': () => import('./features/records/Records.svelte'),
  '/ageing': () => import('./features/ageing/Ageing.svelte'),
  '/briefs': () => import('./features/briefs/Briefs.svelte'),
  '/brief/:name': () => import('./features/briefs/Brief.svelte'),
  '/receipts': () => import('./features/receipts/Receipts.svelte'),
  '/receipt/:id': () => import('./features/receipts/Receipt.svelte'),
  '/calendars': () => import('./features/calendars/Calendars.svelte'),
  '/data': () => import('./features/data/Data.svelte'),
  '/people': () => import('./features/access/People.svelte'),
  '/audit': () => import('./features/access/Audit.svelte'),
  '/service': () => import('./features/service/State.svelte'),
  '/you': () => import('./features/access/You.svelte'),
  '/sign-in': () => import('./features/access/You.svelte'),
  '/welcome': () => import('./features/access/You.svelte'),
  '*': NotFound,
})

/** The pages in the order of the navigation, with the key that leads to each after g. */
export const pages = [
  {
    title: 'Ask',
    pages: [
      { path: '/briefs', of: '/brief/', name: 'Briefs', key: 'b' },
      { path: '/totals', name: 'Totals', key: 't' },
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
      { path: '/check', name: 'Check', key: 'k' },
    ],
  },
  {
    title: 'Kept',
    pages: [
      { path: '/data', name: 'Data', key: 'd' },
      { path: '/receipts', of: '/receipt/', name: 'Receipts', key: 'f' },
    ],
  },
  {
    title: 'Service',
    administrators: true,
    pages: [
      { path: '/people', name: 'People', key: 'p', accounts: true },
      { path: '/audit', name: 'Audit', key: 'u' },
      { path: '/service', name: 'Status', key: 'i' },
    ],
  },
] as {
  title: string
  /** They are for administrators only. */
  administrators?: boolean
  /** A page with accounts is of no use where there are none. */
  pages: { path: string; of?: string; name: string; key: string; accounts?: boolean }[]
}[]
