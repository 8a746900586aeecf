import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { effectScope } from 'vue'
import { api, ApiProblem } from '../src/api/client'
import { useRun } from '../src/windows/use-run'

const told = (state: string, share = 0, word = '') => ({ id: 'r', kind: 'year', state, share, word, problem: '' }) as never
const turn = (ms = 260) => vi.advanceTimersByTimeAsync(ms)

describe('long work', () => {
  let cancelled: ReturnType<typeof vi.spyOn>
  beforeEach(() => {
    vi.useFakeTimers()
    vi.spyOn(console, 'warn').mockImplementation(() => undefined)
    vi.spyOn(api, 'startRun').mockResolvedValue(told('waiting'))
    cancelled = vi.spyOn(api, 'cancelRun').mockResolvedValue(told('cancelled'))
    vi.spyOn(api, 'runResult').mockResolvedValue({ cost: 12 } as never)
  })
  afterEach(() => {
    vi.restoreAllMocks()
    vi.useRealTimers()
  })
  const used = () => effectScope().run(() => useRun<{ cost: number }>())!

  it('shows progress and takes the result', async () => {
    vi.spyOn(api, 'run')
      .mockResolvedValueOnce(told('running', 0.4, 'May'))
      .mockResolvedValueOnce(told('done', 1))
    const run = used()
    await run.start({})
    await turn()
    expect([run.state.value, run.share.value, run.word.value]).toEqual(['running', 0.4, 'May'])
    await turn()
    expect(run.state.value).toBe('done')
    expect(run.result.value).toEqual({ cost: 12 })
  })

  it('is cancelled, keeps the last result, and asks no more', async () => {
    const asked = vi.spyOn(api, 'run').mockResolvedValue(told('running', 0.1))
    const run = used()
    await run.start({})
    await turn()
    await run.cancel()
    expect(cancelled).toHaveBeenCalledWith('r')
    await turn(3000)
    expect(asked).toHaveBeenCalledTimes(1)
    expect(run.state.value).toBe('cancelled')
    expect(run.result.value).toBeNull()
  })

  it('cancelled before the server has answered, it is taken back when the answer comes', async () => {
    let answer: (v: never) => void = () => undefined
    vi.spyOn(api, 'startRun').mockReturnValue(new Promise((r) => (answer = r)) as never)
    const run = used()
    const started = run.start({})
    await run.cancel()
    answer(told('waiting'))
    await started
    expect(cancelled).toHaveBeenCalledTimes(1)
    expect(run.state.value).toBe('cancelled')
  })

  it('goes on asking when the line drops, and tells it', async () => {
    vi.spyOn(api, 'run')
      .mockRejectedValueOnce(new ApiProblem(0, 'away', ''))
      .mockResolvedValueOnce(told('done', 1))
    const run = used()
    await run.start({})
    await turn()
    expect(run.state.value).toBe('running')
    expect(run.word.value).toContain('no connection')
    await turn(2100)
    expect(run.state.value).toBe('done')
  })

  it('tells a refusal and a failure in words', async () => {
    vi.spyOn(api, 'startRun').mockRejectedValueOnce(new ApiProblem(422, 'Refused', 'no bank'))
    const run = used()
    await run.start({})
    expect(run.state.value).toBe('failed')
    expect(run.failure.value).not.toBe('')
    vi.spyOn(api, 'run').mockResolvedValue({ ...(told('failed') as object), problem: 'no sun' } as never)
    await run.start({})
    await turn()
    expect(run.failure.value).toBe('no sun')
  })
})
