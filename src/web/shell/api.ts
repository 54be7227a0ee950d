import { ROUTES, type Input, type Output, type RouteName } from '../../contract/routes'

/** A problem as the server answered it (RFC 9457). */
export class ProblemError extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    readonly title: string,
    readonly detail: string | undefined,
    readonly where: { path: string; sentence: string }[],
  ) {
    super(detail ?? title)
  }
}

let csrf = ''
export const setCsrf = (token: string): void => {
  csrf = token
}

/** The address of a route with its parameters filled in. */
export function addressOf(name: RouteName, input: { params?: object; query?: object } = {}): string {
  const path = ROUTES[name].path.replaceAll(/:(\w+)/g, (_, key: string) =>
    encodeURIComponent(String((input.params as Record<string, unknown> | undefined)?.[key] ?? '')),
  )
  const query = new URLSearchParams()
  for (const [key, value] of Object.entries(input.query ?? {}))
    if (value !== undefined && value !== null && value !== '') query.set(key, String(value))
  return query.size ? `${path}?${query}` : path
}

/** Calls a route of the contract. Throws a ProblemError where the server says no. */
export async function call<N extends RouteName>(name: N, input: Input<N>, signal?: AbortSignal): Promise<Output<N>> {
  const { body } = input as { body?: unknown }
  const method = ROUTES[name].method
  const response = await fetch(addressOf(name, input as object), {
    method,
    ...(signal ? { signal } : {}),
    headers: { ...(body === undefined ? {} : { 'content-type': 'application/json' }), ...(method === 'GET' ? {} : { 'x-csrf': csrf }) },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  })
  if (!response.ok) throw await problemOf(response)
  return (await response.json()) as Output<N>
}

async function problemOf(response: Response): Promise<ProblemError> {
  const problem = (await response.json().catch(() => ({}))) as {
    code?: string
    title?: string
    detail?: string
    where?: { path: string; sentence: string }[]
  }
  return new ProblemError(
    response.status,
    problem.code ?? 'internal',
    problem.title ?? 'The server did not answer as expected.',
    problem.detail,
    problem.where ?? [],
  )
}

/** Sends a file with progress. */
export function sendFiles(files: readonly File[], onProgress: (share: number) => void): Promise<Output<'upload'>> {
  return new Promise((resolve, reject) => {
    const form = new FormData()
    for (const file of files) form.append('file', file)
    const request = new XMLHttpRequest()
    request.open('POST', ROUTES.upload.path)
    request.setRequestHeader('x-csrf', csrf)
    request.upload.onprogress = ({ loaded, total }) => onProgress(total > 0 ? loaded / total : 0)
    request.onerror = () => reject(new ProblemError(0, 'internal', 'The connection broke while the file was sent.', undefined, []))
    request.onload = () => {
      const answer = JSON.parse(request.responseText || '{}') as Output<'upload'> & { code?: string; title?: string; detail?: string }
      if (request.status < 300) resolve(answer)
      else reject(new ProblemError(request.status, answer.code ?? 'internal', answer.title ?? '', answer.detail, []))
    }
    request.send(form)
  })
}

/** What went wrong, in a sentence for whoever asked for it. */
export const problemWords = (error: unknown): string =>
  error instanceof ProblemError ? (error.detail ?? error.title) : 'The server does not answer.'
