import createClient from 'openapi-fetch'
import type { components, paths } from './api.gen'

export type Schemas = components['schemas']
export type Span = Schemas['Span']
export type Dataset = Schemas['Dataset']
export type Column = Schemas['Column']
export type Resolution = Schemas['Resolution']
export type ExpressionError = Schemas['ExpressionError']
export type Problem = Schemas['Problem']
export type Query = Schemas['Query']
export type Answer = Schemas['Answer']
export type AnswerSpan = Schemas['AnswerSpan']
export type Note = Schemas['Note']
export type Table = Schemas['Table']
export type TableColumn = Schemas['TableColumn']
export type Row = Schemas['Row']
export type Label = Schemas['Label']
export type Interval = Schemas['Interval']

export const api = createClient<paths>({ baseUrl: '/api/v1' })

/** The error of a call that the service did not answer; the browser's own words for it differ and help nobody. */
export class UnreachableError extends Error {
  constructor() {
    super(
      navigator.onLine
        ? 'The service does not answer. What is shown may be out of date; try again when it runs.'
        : 'This device is offline. What is shown may be out of date; try again when it is connected.',
    )
  }
}

api.use({
  onError: ({ error }) => (error instanceof TypeError ? new UnreachableError() : undefined),
})

/** The error of a refused call: what the service said, worded once. */
export class RefusedError extends Error {
  readonly problem: Problem
  constructor(problem: Problem) {
    super(problem.detail)
    this.problem = problem
  }
}

interface Reply<T> {
  data?: T
  error?: unknown
  response: Response
}

/** Throws what the service said against a call. */
export function succeed(reply: Reply<unknown>): void {
  if (reply.response.ok) return
  const problem = reply.error as Problem | undefined
  const { status } = reply.response
  throw new RefusedError(
    problem?.detail
      ? problem
      : {
          type: 'about:blank',
          code: 'no_answer',
          title: 'No answer',
          status,
          detail: `The service answered ${status}.`,
        },
  )
}

/** Returns the data of an answer, or throws what the service said against it. */
export function data<T>(reply: Reply<T>): Exclude<T, string> {
  succeed(reply)
  return reply.data as Exclude<T, string>
}

/** Returns the text of an answer that was asked for as CSV. */
export function text(reply: Reply<unknown>): string {
  succeed(reply)
  return String(reply.data)
}

/** What asks for CSV in place of JSON. */
export const asCSV = { headers: { Accept: 'text/csv' }, parseAs: 'text' } as const

/** How an answer is asked for as a file. */
export interface As {
  headers: { Accept: string }
  parseAs: 'blob'
}

/** What asks for a file of a media type in place of JSON. */
export const asFile = (type: string): As => ({ headers: { Accept: type }, parseAs: 'blob' })

/** Returns the file that an answer is, with the name that it is saved under. */
export function file(reply: Reply<unknown>): { blob: Blob; name: string } {
  succeed(reply)
  const named = /filename="?([^";]+)"?/.exec(reply.response.headers.get('Content-Disposition') ?? '')
  return { blob: reply.data as Blob, name: named?.[1] ?? 'answer' }
}

/** Names the version that a change is made from. */
export const ifMatch = (version: number) => ({ 'If-Match': `"${version}"` })

/** Whether a change was refused because others had made one before. */
export const isStale = (e: unknown): boolean =>
  e instanceof RefusedError && (e.problem.code === 'has_changed' || e.problem.code === 'already_exists')
