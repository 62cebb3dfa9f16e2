import { createQuery } from '@tanstack/svelte-query'
import { api, data } from '../../api/client'
import { everything } from '../../api/queries'

export const useReceipts = () =>
  createQuery(() => ({
    queryKey: ['receipts'],
    queryFn: async () => data(await api.GET('/receipts', everything)).items,
  }))
