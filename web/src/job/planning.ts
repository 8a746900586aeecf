// The plan of the open document: asked for anew shortly after each change, the one before shown until it is there.
import { useQuery, type QueryClient } from '@tanstack/vue-query'
import { computed, nextTick, ref, shallowRef, watch, type Ref } from 'vue'
import { ApiProblem, type Job, type Plan, type ProblemOut } from '../api/client'
import { lastGood } from '../api/last-good'
import { queries } from '../api/queries'

const PLAN_AFTER_MS = 60

export function createPlanning(id: string, document: Ref<Job | null>, client: QueryClient) {
  /** Counts the documents that were planned; part of the key of everything that follows the plan. */
  const turn = ref(0)
  const asked = shallowRef<Job | null>(null)
  const problems = shallowRef<ProblemOut[]>([])
  const failure = ref('')
  let timer = 0

  const told = useQuery(
    computed(() => ({
      ...queries.plan(id, turn.value, asked.value as Job),
      enabled: asked.value !== null,
    })),
    client,
  )
  const plan: Ref<Plan | null> = lastGood(told)
  watch(plan, () => {
    problems.value = []
    failure.value = ''
  })
  watch(
    () => told.error.value,
    (error) => {
      if (!(error instanceof ApiProblem)) return
      if (error.status === 422) problems.value = error.problems
      else failure.value = error.message
    },
  )
  function now() {
    window.clearTimeout(timer)
    asked.value = document.value
    turn.value++
  }
  /** Plan the document as it is, and wait for the answer, whatever it is. */
  async function make() {
    now()
    await nextTick()
    await told.suspense().catch(() => undefined)
  }
  function soon() {
    window.clearTimeout(timer)
    timer = window.setTimeout(now, PLAN_AFTER_MS)
  }
  return {
    turn,
    asked,
    plan,
    problems,
    failure,
    planning: computed(() => told.isFetching.value),
    /** The server is away; the question is asked again by itself. */
    away: computed(() => told.failureReason.value instanceof ApiProblem && told.failureReason.value.offline),
    make,
    soon,
    again: () => void told.refetch(),
    stop: () => window.clearTimeout(timer),
  }
}
