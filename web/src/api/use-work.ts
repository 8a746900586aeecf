// Long work on the server: begin, watch its progress, cancel it, take its result.
import { useQuery } from '@tanstack/vue-query'
import { computed, onScopeDispose, ref, shallowRef, watch } from 'vue'
import { api, ApiProblem, type Job, type WorkIn } from './client'
import { queries } from './queries'

export type WorkAsked = Partial<Pick<WorkIn, 'days' | 'as_found' | 'wanted' | 'weathers' | 'vary_field' | 'vary_values'>> &
  Pick<WorkIn, 'kind'> & { document: Job | null; other?: Job | null }
const EVERY_MS = 250
const OVER = ['done', 'failed', 'cancelled']

/** `of` is what the work is about: once that is another, a result is told to be of before. */
export function useWork<T>(of: () => unknown = () => null) {
  const id = ref('')
  const state = ref<'idle' | 'running' | 'done' | 'cancelled' | 'failed'>('idle')
  const failure = ref('')
  const result = shallowRef<T | null>(null)
  const resultOf = shallowRef<unknown>(null)
  const stale = computed(() => result.value !== null && resultOf.value !== of())
  let begunWith: unknown = null
  let turn = 0

  const told = useQuery(
    computed(() => ({
      ...queries.work(id.value),
      enabled: state.value === 'running' && id.value !== '',
      refetchInterval: (q: { state: { data?: { state: string } } }) =>
        OVER.includes(q.state.data?.state ?? '') ? false : EVERY_MS,
    })),
  )
  const word = computed(() =>
    told.failureReason.value ? 'no connection; the work goes on, asking again' : (told.data.value?.word ?? 'beginning'),
  )
  const share = computed(() => told.data.value?.share ?? 0)
  function fail(error: unknown) {
    if (!(error instanceof ApiProblem)) throw error
    state.value = 'failed'
    failure.value = error.message
  }
  watch(
    () => told.data.value,
    async (now) => {
      const mine = turn
      if (!now || state.value !== 'running') return
      if (now.state === 'done') {
        try {
          const made = await api.workResult<T>(now.id)
          if (mine !== turn) return
          result.value = made
          resultOf.value = begunWith
          state.value = 'done'
        } catch (error) {
          if (mine === turn) fail(error)
        }
      } else if (now.state === 'failed') {
        state.value = 'failed'
        failure.value = now.problem
      } else if (now.state === 'cancelled') state.value = 'cancelled'
    },
  )
  watch(
    () => told.error.value,
    (error) => error && state.value === 'running' && fail(error),
  )

  async function start(body: WorkAsked) {
    const mine = ++turn
    id.value = ''
    state.value = 'running'
    failure.value = ''
    begunWith = of()
    try {
      const begun = await api.startWork(body as WorkIn)
      if (mine === turn) id.value = begun.id
      else await api.cancelWork(begun.id)
    } catch (error) {
      if (mine === turn) fail(error)
    }
  }
  async function cancel() {
    turn++
    const running = id.value
    state.value = 'cancelled'
    id.value = ''
    if (running) await api.cancelWork(running).catch(() => undefined)
  }
  onScopeDispose(() => {
    if (state.value === 'running') void cancel()
  })
  return { state, word, share, failure, result, stale, start, cancel }
}
export type LongWork = ReturnType<typeof useWork>
