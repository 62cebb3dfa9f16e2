import { createRouter } from 'sv-router'
import Audit from './features/access/Audit.svelte'
import People from './features/access/People.svelte'
import You from './features/access/You.svelte'
import Ageing from './features/ageing/Ageing.svelte'
import Brief from './features/briefs/Brief.svelte'
import Briefs from './features/briefs/Briefs.svelte'
import Calendars from './features/calendars/Calendars.svelte'
import Check from './features/spans/Check.svelte'
import Data from './features/data/Data.svelte'
import Lines from './features/lines/Lines.svelte'
import NotFound from './ui/NotFound.svelte'
import Receipt from './features/receipts/Receipt.svelte'
import Receipts from './features/receipts/Receipts.svelte'
import Records from './features/records/Records.svelte'
import Span from './features/spans/Span.svelte'
import Spans from './features/spans/Spans.svelte'
import State from './features/service/State.svelte'
import Totals from './features/totals/Totals.svelte'

export const { navigate, route } = createRouter({
  '/': Spans,
  '/span/:name': Span,
  '/check': Check,
  '/totals': Totals,
  '/lines': Lines,
  '/records': Records,
  '/ageing': Ageing,
  '/briefs': Briefs,
  '/brief/:name': Brief,
  '/receipts': Receipts,
  '/receipt/:id': Receipt,
  '/calendars': Calendars,
  '/data': Data,
  '/people': People,
  '/audit': Audit,
  '/service': State,
  '/you': You,
  '/sign-in': You,
  '/welcome': You,
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
