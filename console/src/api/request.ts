import type { Problem } from './types'

/** An answer of the service that says what is wrong, where, and what to do. */
export class Answer extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail)
  }
}

/** Where the service keeps a bench. */
export const benchPath = (name: string) => `/v1/benches/${encodeURIComponent(name)}`

/** A path of a file within an address: what has a meaning there, such as #, is written otherwise. */
export const inPath = (path: string) => path.split('/').map(encodeURIComponent).join('/')

/** Makes a request and reads the JSON of its answer; throws an Answer where the service refuses. */
export async function request<T>(method: 'GET' | 'POST' | 'PUT' | 'DELETE', path: string, body?: unknown): Promise<T> {
  const response = await fetch(path, {
    method,
    headers: body === undefined ? {} : { 'Content-Type': 'application/json' },
    body: body === undefined ? undefined : JSON.stringify(body),
  })
  if (response.status === 204) return undefined as T
  if (response.ok) return (await response.json()) as T
  throw await refusal(response)
}

/** Makes a request and returns the bytes of its answer; throws an Answer where the service refuses. */
export async function requestBytes(path: string): Promise<ArrayBuffer> {
  const response = await fetch(path)
  if (response.ok) return response.arrayBuffer()
  throw await refusal(response)
}

async function refusal(response: Response): Promise<Answer> {
  const silent: Problem = { title: 'No answer', status: response.status, detail: `The service answered ${response.status}.` }
  return new Answer((await response.json().catch(() => silent)) as Problem)
}
