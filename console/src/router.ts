import { createRouter } from 'sv-router'
import Brief from './pages/Brief.svelte'
import Briefs from './pages/Briefs.svelte'
import Calendars from './pages/Calendars.svelte'
import Check from './pages/Check.svelte'
import Lines from './pages/Lines.svelte'
import Missing from './pages/Missing.svelte'
import Receipt from './pages/Receipt.svelte'
import Receipts from './pages/Receipts.svelte'
import Records from './pages/Records.svelte'
import Span from './pages/Span.svelte'
import Spans from './pages/Spans.svelte'
import Totals from './pages/Totals.svelte'

export const { navigate, route } = createRouter({
  '/': Spans,
  '/span/:name': Span,
  '/check': Check,
  '/totals': Totals,
  '/lines': Lines,
  '/records': Records,
  '/briefs': Briefs,
  '/brief/:name': Brief,
  '/receipts': Receipts,
  '/receipt/:id': Receipt,
  '/calendars': Calendars,
  '*': Missing,
})
