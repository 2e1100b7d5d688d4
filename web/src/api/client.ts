/** The one client of the API: generated types, the CSRF token, and errors as `Problem`. */
import createClient from 'openapi-fetch'
import type { components, paths } from './schema'

export type Schemas = components['schemas']

/** An error answer (RFC 9457), thrown by `must`. */
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

function csrfToken(): string {
  return /(?:^|; )csrftoken=([^;]+)/.exec(document.cookie)?.[1] ?? ''
}

export const api = createClient<paths>({ baseUrl: '' })
api.use({
  onRequest({ request }) {
    if (request.method !== 'GET') request.headers.set('X-CSRFToken', csrfToken())
    return request
  },
})

type Answer<T> = { data?: T; error?: unknown; response: Response }

/** The data of an answer; throws a Problem when there is none. */
export async function must<T>(asked: Promise<Answer<T>>): Promise<T> {
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
  const said = (typeof body === 'object' && body ? body : {}) as Record<string, string | undefined>
  return new Problem(
    status,
    said.title ?? 'The server failed',
    said.detail ?? `Status ${status}.`,
    said.advice ?? '',
  )
}

/** Send files with progress (fetch cannot tell it): `onProgress` hears the share sent. */
export function upload(
  path: string,
  files: File[],
  onProgress: (share: number) => void,
): { done: Promise<Schemas['Started']>; cancel: () => void } {
  const request = new XMLHttpRequest()
  const form = new FormData()
  for (const file of files) form.append('files', file)
  const done = new Promise<Schemas['Started']>((resolve, reject) => {
    request.open('POST', path)
    request.setRequestHeader('X-CSRFToken', csrfToken())
    request.responseType = 'json'
    request.upload.onprogress = (event) => onProgress(event.total ? event.loaded / event.total : 0)
    request.onload = () =>
      request.status < 300 ? resolve(request.response) : reject(problemOf(request.status, request.response))
    request.onerror = () => reject(new Problem(0, 'No connection', 'The upload broke off. Try it again.'))
    request.onabort = () => reject(new Problem(0, 'Cancelled', 'The upload was cancelled; nothing was kept.'))
    request.send(form)
  })
  return { done, cancel: () => request.abort() }
}
