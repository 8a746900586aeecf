// The working list of the chosen unit, asked for anew whenever the plan changes; stale answers are dropped.
import { onBeforeUnmount, ref, shallowRef, watch, type Ref } from 'vue'
import { api, ApiProblem, type UnitOrder } from '../api/client'
import type { OpenJob } from '../workspace/use-job'

export function useOrder(job: OpenJob, unit: Ref<string | undefined>) {
  const order = shallowRef<UnitOrder | null>(null)
  const failure = ref('')
  let abort: AbortController | null = null
  async function ask() {
    abort?.abort()
    if (!unit.value || !job.document.value) return
    const mine = (abort = new AbortController())
    try {
      const made = await api.order(unit.value, job.document.value, mine.signal)
      if (mine === abort) {
        order.value = made
        failure.value = ''
      }
    } catch (error) {
      if (mine === abort && error instanceof ApiProblem) failure.value = error.message
    }
  }
  watch([() => job.plan.value, unit], ask, { immediate: true })
  onBeforeUnmount(() => abort?.abort())
  return { order, failure, ask }
}
