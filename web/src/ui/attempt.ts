import { ref } from 'vue'

import { ServerError } from '../api/client'

/** Runs calls one at a time, and says here what went wrong with the last. */
export function useAttempt() {
  const failure = ref('')
  const busy = ref(false)
  async function attempt<T>(call: () => Promise<T>): Promise<T | null> {
    failure.value = ''
    busy.value = true
    try {
      return await call()
    } catch (e) {
      failure.value = e instanceof ServerError ? e.problem.detail : String(e)
      return null
    } finally {
      busy.value = false
    }
  }
  return { failure, busy, attempt }
}
