// The plan of the open document: asked for anew shortly after each change, the one before shown until it is there, and said to be old
// where it is. A refused figure does not hold up the plan of the rest.
import { useQuery, type QueryClient } from '@tanstack/vue-query'
import { computed, nextTick, ref, shallowRef, watch, type Ref } from 'vue'
import { ApiProblem, type Job, type Plan, type ProblemOut } from '../api/client'
import { lastGood } from '../api/last-good'
import { made, queries } from '../api/queries'

const PLAN_AFTER_MS = 60
/** A plan that is there sooner was never missed. */
const WORKING_AFTER_MS = 300
/** An answer this old comes from what the browser keeps for days without a network. */
const KEPT_AFTER_MS = 60_000
/** No two documents share a number, also when a job is left and opened again: an answer kept for one is never shown for another. */
let turns = 0
export type PlanState = 'fresh' | 'working' | 'old'

export function createPlanning(id: string, document: Ref<Job | null>, origin: () => Job | null, client: QueryClient) {
  /** The document that is planned, by a number of its own; part of the key of everything that follows the plan. */
  const turn = ref(++turns)
  const asked = shallowRef<Job | null>(null)
  const failure = ref('')
  const refused = shallowRef<ProblemOut[]>([])
  const working = ref(false)
  let timer = 0
  let slow = 0

  const told = useQuery(
    computed(() => ({
      ...queries.plan(id, turn.value, asked.value as Job, origin()),
      enabled: asked.value !== null,
    })),
    client,
  )
  const last = lastGood(told)
  const plan: Ref<Plan | null> = computed(() => last.value?.plan ?? null)
  const madeAt = computed(() => last.value?.at ?? '')
  const problems = computed(() => (refused.value.length ? refused.value : (last.value?.problems ?? [])))
  watch(last, () => {
    refused.value = []
    failure.value = ''
  })
  watch(
    () => told.error.value,
    (error) => {
      if (!(error instanceof ApiProblem)) return
      if (error.status === 422) refused.value = error.problems
      else failure.value = error.message
    },
  )
  const why = computed(() => {
    const reason = told.failureReason.value
    return reason instanceof ApiProblem && reason.status !== 422 && !reason.offline ? reason.message : ''
  })
  const away = computed(() => told.failureReason.value instanceof ApiProblem && told.failureReason.value.status !== 422)
  watch([told.isFetching, turn], ([fetching]) => {
    window.clearTimeout(slow)
    if (fetching) slow = window.setTimeout(() => (working.value = true), WORKING_AFTER_MS)
    else working.value = false
  })
  const state = computed<PlanState>(() => (away.value || failure.value ? 'old' : working.value ? 'working' : 'fresh'))
  function now() {
    window.clearTimeout(timer)
    asked.value = document.value
    turn.value = ++turns
  }
  /** Plan the document as it is, and wait for the answer, whatever it is. */
  async function make() {
    now()
    await nextTick()
    await told.suspense().catch(() => undefined)
  }
  /** Take over the plan that came with the job. Where it is of this very document it is asked for again only if it was kept for a while. */
  async function take(plan: Plan, at: string, same: boolean) {
    client.setQueryData(queries.plan(id, turns + 1, document.value as Job, null).queryKey, made(plan, [], at))
    now()
    await nextTick()
    if (same && Math.abs(Date.now() - Date.parse(at)) > KEPT_AFTER_MS) void told.refetch()
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
    failure: computed(() => failure.value || why.value),
    state,
    madeAt,
    planning: computed(() => told.isFetching.value),
    /** The server is away or failed; the question is asked again by itself. */
    away,
    make,
    take,
    soon,
    again: () => void told.refetch(),
    stop: () => window.clearTimeout(timer),
  }
}
