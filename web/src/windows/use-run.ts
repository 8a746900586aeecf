// Long work on the server: begin, watch its progress, cancel it, take its result.
import { computed, onBeforeUnmount, ref, shallowRef } from 'vue'
import { api, ApiProblem } from '../api/client'

const POLL_MS = 250
const AWAY_MS = 2000

/** `of` is what the work is about: once that is another, a result is told to be of before. */
export function useRun<T>(of: () => unknown = () => null) {
  const state = ref<'idle' | 'running' | 'done' | 'cancelled' | 'failed'>('idle')
  const word = ref('')
  const share = ref(0)
  const failure = ref('')
  const result = shallowRef<T | null>(null)
  const resultOf = shallowRef<unknown>(null)
  const stale = computed(() => result.value !== null && resultOf.value !== of())
  let begunWith: unknown = null
  let id = ''
  let timer = 0
  let turn = 0

  async function start(body: object) {
    const mine = ++turn
    window.clearTimeout(timer)
    state.value = 'running'
    failure.value = ''
    share.value = 0
    word.value = 'beginning'
    begunWith = of()
    try {
      const run = await api.startRun(body)
      id = run.id
      if (mine === turn) poll(mine)
      else await api.cancelRun(run.id)
    } catch (error) {
      fail(error, mine)
    }
  }
  function fail(error: unknown, mine: number) {
    if (mine !== turn) return
    if (!(error instanceof ApiProblem)) throw error
    state.value = 'failed'
    failure.value = error.message
  }
  function poll(mine: number, after = POLL_MS) {
    timer = window.setTimeout(async () => {
      try {
        const run = await api.run(id)
        if (mine !== turn) return
        word.value = run.word
        share.value = run.share
        if (run.state === 'done') {
          result.value = await api.runResult<T>(id)
          resultOf.value = begunWith
          state.value = 'done'
        } else if (run.state === 'failed') {
          state.value = 'failed'
          failure.value = run.problem
        } else if (run.state === 'cancelled') state.value = 'cancelled'
        else poll(mine)
      } catch (error) {
        if (mine === turn && error instanceof ApiProblem && error.offline) {
          word.value = 'no connection; the work goes on, asking again'
          poll(mine, AWAY_MS)
        } else fail(error, mine)
      }
    }, after)
  }
  async function cancel() {
    turn++
    window.clearTimeout(timer)
    state.value = 'cancelled'
    if (id) await api.cancelRun(id).catch(() => undefined)
  }
  onBeforeUnmount(() => {
    if (state.value === 'running') void cancel()
  })
  return { state, word, share, failure, result, stale, start, cancel }
}
export type LongRun = ReturnType<typeof useRun>
