import createClient from 'openapi-fetch'
import type { components, paths } from './api.gen'

export type Schemas = components['schemas']
export type Span = Schemas['Span']
export type Dataset = Schemas['Dataset']
export type Resolution = Schemas['Resolution']
export type ResolveAnswer = Schemas['ResolveAnswer']
export type ExpressionError = Schemas['ExpressionError']
export type Problem = Schemas['Problem']
export type Total = Schemas['Total']
export type RecordsPage = Schemas['RecordsPage']
export type Filter = Schemas['Filter']

export const api = createClient<paths>({ baseUrl: '/api/v1' })

/** The error of a refused call: what the service said, worded once. */
export class Refused extends Error {
  readonly problem: Problem
  constructor(problem: Problem) {
    super(problem.detail)
    this.problem = problem
  }
}

/** Gives the data of an answer, or throws what the service said against it. */
export function data<T>(answer: { data?: T; error?: unknown; response: Response }): T {
  if (answer.error !== undefined || answer.data === undefined) {
    const problem = answer.error as Problem | undefined
    throw new Refused(problem?.detail ? problem : { title: 'No answer', status: answer.response.status, detail: `The service answered ${answer.response.status}.` })
  }
  return answer.data
}
