import { createQuery } from '@tanstack/svelte-query'
import { api, data } from '../../api/client'
import { all } from '../../api/queries'

export const useReceipts = () =>
  createQuery(() => ({
    queryKey: ['receipts'],
    queryFn: () => all(async (query) => data(await api.GET('/receipts', { params: { query } }))),
  }))
