import { createRouter } from 'sv-router'
import Records from './pages/Records.svelte'
import Spans from './pages/Spans.svelte'
import Totals from './pages/Totals.svelte'
import Missing from './pages/Missing.svelte'

export const { navigate, route } = createRouter({
  '/': Spans,
  '/totals': Totals,
  '/records': Records,
  '*': Missing,
})
