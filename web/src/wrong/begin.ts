import { ServerError, answer, client, type Schemas } from '../api/client'

/** Begins a case; its number, or what went wrong. */
export async function beginCase(body: Schemas['NewCase']): Promise<{ id: number | null; failure: string }> {
  try {
    const made = await answer(client.POST('/api/v1/cases', { body }))
    return { id: made.id, failure: '' }
  } catch (e) {
    return { id: null, failure: e instanceof ServerError ? e.problem.detail : String(e) }
  }
}
