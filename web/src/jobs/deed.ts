import { useQueryClient } from '@tanstack/vue-query'
import { ref } from 'vue'

import { ServerError, answer, client, type Schemas } from '../api/client'

/** Tells the server what happened to a job; what it refuses, and why, stands in `failure`. */
export function useDeed() {
  const queries = useQueryClient()
  const failure = ref('')
  async function tell(job: number, body: Schemas['Deed']): Promise<Schemas['Traveller'] | null> {
    failure.value = ''
    try {
      const card = await answer(
        client.POST('/api/v1/jobs/{id}/deeds', { params: { path: { id: job } }, body }),
      )
      await queries.invalidateQueries()
      return card
    } catch (e) {
      failure.value = e instanceof ServerError ? e.problem.detail : String(e)
      return null
    }
  }
  return { failure, tell }
}
