import { createQuery, type QueryClient } from '@tanstack/svelte-query'
import { api, data, type Schemas } from '../../api/client'

export type SessionState = Schemas['SessionState']
export type Role = Schemas['Role']

/** The roles, with what each may do. */
export const roles: { value: Role; label: string; hint: string }[] = [
  { value: 'reader', label: 'reader', hint: 'may see briefs, totals and records' },
  { value: 'analyst', label: 'analyst', hint: 'may also define, load and create receipts' },
  { value: 'auditor', label: 'auditor', hint: 'may read the audit, and nothing else' },
  {
    value: 'administrator',
    label: 'administrator',
    hint: 'may also add accounts, manage databases and schedules, and remove definitions of others',
  },
]

/** Who calls, and how people are let in. */
export const useSession = () =>
  createQuery(() => ({
    queryKey: ['session'],
    queryFn: async () => data(await api.GET('/session')),
    staleTime: Infinity,
  }))

/** Lets somebody in: what somebody else saw is not shown to this one. */
export function letIn(client: QueryClient, session: SessionState): void {
  client.removeQueries({ predicate: (q) => q.queryKey[0] !== 'session' })
  client.setQueryData(['session'], session)
}

// The roles whose permissions each role has.
const covered: Record<Role, Role[]> = {
  reader: ['reader'],
  analyst: ['reader', 'analyst'],
  auditor: ['auditor'],
  administrator: ['reader', 'analyst', 'auditor', 'administrator'],
}

/** Whether a session may do what needs a role. */
export const may = (session: SessionState | undefined, role: Role): boolean =>
  covered[session?.role as Role]?.includes(role) ?? false

/** A moment for people, to the minute. */
export const moment = (text: string): string =>
  new Date(text).toLocaleString('en-GB', {
    weekday: 'short',
    day: 'numeric',
    month: 'short',
    year: 'numeric',
    hour: '2-digit',
    minute: '2-digit',
  })

/** The last day of what is good until a moment. */
export const lastDay = (until: string): string =>
  new Date(Date.parse(until) - 1000).toLocaleDateString('en-GB', { day: 'numeric', month: 'short', year: 'numeric' })

/** The names in a text, by spaces or commas. */
export const names = (text: string): string[] => text.split(/[\s,]+/).filter((n) => n !== '')
