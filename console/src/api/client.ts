import createClient from 'openapi-fetch'

import { letIn } from '../letin'
import type { components, paths } from './schema.gen'

export type Schemas = components['schemas']
export type Problem = Schemas['Problem']

/** An answer that is no success, as the service says it (RFC 9457). */
export class ProblemError extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail || problem.title)
  }
}

export const api = createClient<paths>({ baseUrl: '/api/v1' })

api.use({
  onRequest({ request }) {
    const secret = letIn()
    if (secret) request.headers.set('Authorization', `Bearer ${secret}`)
    return request
  },
})

/** Returns the data of an answer, or throws what went wrong in words. */
export async function unwrap<T>(
  answer: Promise<{ data?: T; error?: unknown; response: Response }>,
): Promise<T> {
  let got
  try {
    got = await answer
  } catch {
    throw new ProblemError({
      type: 'about:blank',
      title: 'The service cannot be reached',
      status: 0,
      detail: 'The service does not answer. It may be restarting; try again in a moment.',
    })
  }
  if (got.response.ok) return got.data as T
  const said = got.error as Problem | undefined
  throw new ProblemError(
    said && typeof said === 'object' && 'title' in said
      ? said
      : {
          type: 'about:blank',
          title: `The service answered ${got.response.status}`,
          status: got.response.status,
        },
  )
}
