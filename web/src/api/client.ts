import createClient from 'openapi-fetch'

import type { components, paths } from './schema'

export type Schemas = components['schemas']
export type Problem = Schemas['Problem']

/** An error answer of the server, or that none came. */
export class ServerError extends Error {
  constructor(
    readonly problem: Problem,
    readonly reached: boolean,
  ) {
    super(problem.detail)
  }
}

export const client = createClient<paths>({ baseUrl: '' })

const unreachable: Problem = {
  title: 'No answer',
  status: 0,
  code: 'unreachable',
  detail: 'The server does not answer. Start it again; what you typed stays here.',
  id: null,
  errors: [],
}

interface Answer<T> {
  data?: T
  error?: unknown
  response: Response
}

/** Waits for an answer and gives its body, or throws a ServerError. */
export async function answer<T>(call: Promise<Answer<T>>): Promise<T> {
  let got: Answer<T>
  try {
    got = await call
  } catch {
    throw new ServerError(unreachable, false)
  }
  if (!got.response.ok) {
    const problem = got.error as Partial<Problem> | undefined
    throw new ServerError({ ...unreachable, detail: got.response.statusText, ...problem }, true)
  }
  return got.data as T
}

type SimpleGet = {
  [P in keyof paths]: paths[P] extends {
    get: { parameters: { path?: never }; responses: { 200: unknown } }
  }
    ? P
    : never
}[keyof paths]
type Body<P extends SimpleGet> = paths[P] extends {
  get: { responses: { 200: { content: { 'application/json': infer T } } } }
}
  ? T
  : never

/** GET of a path without parameters. */
export function get<P extends SimpleGet>(path: P): Promise<Body<P>> {
  return answer(client.GET(path as '/api/v1/bench') as unknown as Promise<Answer<Body<P>>>)
}
