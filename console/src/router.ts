import { createRouter } from 'sv-router'
import Brief from './features/briefs/Brief.svelte'
import Briefs from './features/briefs/Briefs.svelte'
import Calendars from './features/calendars/Calendars.svelte'
import Check from './features/spans/Check.svelte'
import Lines from './features/lines/Lines.svelte'
import NotFound from './ui/NotFound.svelte'
import Receipt from './features/receipts/Receipt.svelte'
import Receipts from './features/receipts/Receipts.svelte'
import Records from './features/records/Records.svelte'
import Span from './features/spans/Span.svelte'
import Spans from './features/spans/Spans.svelte'
import Totals from './features/totals/Totals.svelte'

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
  '*': NotFound,
})
