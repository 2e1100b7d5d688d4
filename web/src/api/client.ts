/** The one client of the API: generated types, the CSRF token, and errors as `Problem`. */
import createClient from 'openapi-fetch'
import { ref } from 'vue'
import type { components, paths } from './schema'
import { sha256Of } from './digest'

export type Schemas = components['schemas']

/** An error answer (RFC 9457), thrown by `unwrap`. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    readonly title: string,
    readonly detail: string,
    readonly advice = '',
  ) {
    super(detail)
  }
}

/** Whether an answer said that nobody is signed in any more; whoever signs in again takes it back. */
export const signedOut = ref(false)

export function csrfToken(): string {
  return /(?:^|; )csrftoken=([^;]+)/.exec(document.cookie)?.[1] ?? ''
}

export const api = createClient<paths>({ baseUrl: '', fetch: (request) => globalThis.fetch(request) })
api.use({
  onRequest({ request }) {
    if (request.method !== 'GET') request.headers.set('X-CSRFToken', csrfToken())
    return request
  },
})

type Answer<T> = { data?: T; error?: unknown; response: Response }

/** The data of an answer; throws a Problem when there is none. */
export async function unwrap<T>(asked: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>
  try {
    answer = await asked
  } catch (error) {
    if ((error as Error).name === 'AbortError') throw error
    throw new Problem(
      0,
      'No connection',
      'The server does not answer. Nothing you entered is lost; try again.',
    )
  }
  if (answer.response.ok) return answer.data as T
  throw problemOf(answer.response.status, answer.error)
}

/** A Problem from the body of an error answer. */
export function problemOf(status: number, body: unknown): Problem {
  if (status === 401) signedOut.value = true
  const answer = (typeof body === 'object' && body ? body : {}) as Record<string, string | undefined>
  return new Problem(
    status,
    answer.title ?? 'The server failed',
    answer.detail ?? `Status ${status}.`,
    answer.advice ?? '',
  )
}

const PIECE = 8 * 2 ** 20
const TRIES = 6

/**
 * Send a file in pieces; after a break it goes on where it ended, also when the page was closed in between.
 * `onProgress` hears the bytes sent. Returns the key of the upload.
 */
export async function sendFile(
  slug: string,
  file: File,
  onProgress: (sent: number) => void,
  signal: AbortSignal,
): Promise<string> {
  const begun = await unwrap(
    api.POST('/api/feeds/{slug}/uploads', {
      params: { path: { slug } },
      body: { name: file.name, size: file.size, sha256: await sha256Of(file) },
      signal,
    }),
  )
  let at = begun.received
  let tries = 0
  while (at < file.size) {
    onProgress(at)
    try {
      at = await sendPiece(begun.key, file.slice(at, at + PIECE), at, signal)
      tries = 0
    } catch (error) {
      tries += 1
      if (signal.aborted || tries === TRIES || (error instanceof Problem && error.status === 422)) throw error
      await new Promise((resolve) => setTimeout(resolve, 300 * 2 ** tries))
      const now = await unwrap(
        api.GET('/api/uploads/{key}', { params: { path: { key: begun.key } }, signal }),
      )
      at = now.received
    }
  }
  onProgress(at)
  return begun.key
}

async function sendPiece(key: string, piece: Blob, offset: number, signal: AbortSignal): Promise<number> {
  const answer = await fetch(`/api/uploads/${key}?offset=${offset}`, {
    method: 'PUT',
    headers: { 'X-CSRFToken': csrfToken(), 'Content-Type': 'application/octet-stream' },
    body: piece,
    signal,
  })
  const state = (await answer.json()) as { received: number }
  if (!answer.ok) throw problemOf(answer.status, state)
  return state.received
}
