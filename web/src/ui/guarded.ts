// Something asked of the server: busy meanwhile, and what went wrong in the server's own words.
import { ref } from 'vue'
import { ApiProblem } from '../api/client'

export function useGuarded(otherwise = 'Not done.') {
  const busy = ref(false)
  const failure = ref('')
  async function guarded(what: () => Promise<unknown>) {
    busy.value = true
    failure.value = ''
    try {
      await what()
    } catch (error) {
      failure.value = error instanceof ApiProblem ? error.message : otherwise
    }
    busy.value = false
  }
  return { busy, failure, guarded }
}
