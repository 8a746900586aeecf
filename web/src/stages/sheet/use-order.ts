// The working list of the chosen unit, asked for anew whenever the document was planned; a question that is overtaken is dropped.
import { useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { ApiProblem, type Job } from '../../api/client'
import { lastGood } from '../../api/last-good'
import { queries } from '../../api/queries'
import type { OpenJob } from '../../job/use-job'

export function useOrder(job: OpenJob, unit: Ref<string | undefined>) {
  const told = useQuery(
    computed(() => ({
      ...queries.order(job.id, unit.value ?? '', job.turn.value, job.planned.value as Job),
      enabled: !!unit.value && job.planned.value !== null,
    })),
  )
  const last = lastGood(told)
  return {
    // The list of before stays while the next is on its way, but never another unit's.
    order: computed(() => (last.value?.unit === unit.value ? last.value : null)),
    failure: computed(() => (told.error.value instanceof ApiProblem ? told.error.value.message : '')),
    ask: () => void told.refetch(),
  }
}
