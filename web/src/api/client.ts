import createClient, { type Middleware } from 'openapi-fetch'
import type { paths } from './schema.gen'

/** What the server says when it refuses: a stable code, a sentence, and what to do. */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
    readonly suggestion: string,
  ) {
    super(message)
  }
}

function cookie(name: string): string {
  const found = document.cookie.split('; ').find((part) => part.startsWith(`${name}=`))
  return found ? decodeURIComponent(found.slice(name.length + 1)) : ''
}

export async function errorFrom(response: Response): Promise<ApiError> {
  const body: unknown = await response
    .clone()
    .json()
    .catch(() => null)
  const text = (key: string) =>
    body && typeof body === 'object' && key in body ? String((body as Record<string, unknown>)[key]) : ''
  return new ApiError(
    response.status,
    text('code') || 'unexpected',
    text('message') || `The server answered ${response.status}.`,
    text('suggestion'),
  )
}

/** The server cannot be reached: the browser's own words differ by browser, and say nothing to do. */
export const UNREACHABLE = 'unreachable'

function inWords(error: unknown): never {
  if (!(error instanceof TypeError)) throw error
  throw new ApiError(0, UNREACHABLE, 'the server cannot be reached', 'try again in a moment')
}

const manners: Middleware = {
  onRequest({ request }) {
    if (request.method !== 'GET') request.headers.set('X-CSRFToken', cookie('csrftoken'))
    return request
  },
  async onResponse({ response }) {
    if (!response.ok) throw await errorFrom(response)
    return response
  },
}

export const api = createClient<paths>({
  baseUrl: window.location.origin,
  fetch: (request) => globalThis.fetch(request).catch(inWords), // looked up at each call, for tests
})
api.use(manners)

/** Unwraps an answer; errors have been thrown by then. */
export async function data<T>(answer: Promise<{ data?: T }>): Promise<T> {
  const { data: value } = await answer
  return value as T
}
