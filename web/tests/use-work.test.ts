import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { api, ApiProblem } from '../src/api/client'
import { used } from './mounting'
import { useWork } from '../src/api/use-work'

const YEAR = { kind: 'year', document: {} as never } as const
const told = (state: string, share = 0, word = '') => ({ id: 'r', kind: 'year', state, share, word, problem: '' }) as never
const turn = (ms = 260) => vi.advanceTimersByTimeAsync(ms)

describe('long work', () => {
  let cancelled: ReturnType<typeof vi.spyOn>
  beforeEach(() => {
    vi.useFakeTimers()
    vi.spyOn(console, 'warn').mockImplementation(() => undefined)
    vi.spyOn(api, 'startWork').mockResolvedValue(told('waiting'))
    cancelled = vi.spyOn(api, 'cancelWork').mockResolvedValue(told('cancelled'))
    vi.spyOn(api, 'workResult').mockResolvedValue({ cost: 12 } as never)
  })
  afterEach(() => {
    vi.restoreAllMocks()
    vi.useRealTimers()
  })
  const work = () => used(() => useWork<{ cost: number }>()).value

  it('shows progress and takes the result', async () => {
    vi.spyOn(api, 'work')
      .mockResolvedValueOnce(told('running', 0.4, 'May'))
      .mockResolvedValueOnce(told('done', 1))
    const run = work()
    await run.start(YEAR)
    await turn(10)
    expect([run.state.value, run.share.value, run.word.value]).toEqual(['running', 0.4, 'May'])
    await turn()
    expect(run.state.value).toBe('done')
    expect(run.result.value).toEqual({ cost: 12 })
  })

  it('is cancelled, keeps the last result, and asks no more', async () => {
    const asked = vi.spyOn(api, 'work').mockResolvedValue(told('running', 0.1))
    const run = work()
    await run.start(YEAR)
    await turn(10)
    await run.cancel()
    expect(cancelled).toHaveBeenCalledWith('r')
    await turn(3000)
    expect(asked).toHaveBeenCalledTimes(1)
    expect(run.state.value).toBe('cancelled')
    expect(run.result.value).toBeNull()
  })

  it('cancelled before the server has answered, it is taken back when the answer comes', async () => {
    let answer: (v: never) => void = () => undefined
    vi.spyOn(api, 'startWork').mockReturnValue(new Promise((r) => (answer = r)) as never)
    const run = work()
    const started = run.start(YEAR)
    await run.cancel()
    answer(told('waiting'))
    await started
    expect(cancelled).toHaveBeenCalledTimes(1)
    expect(run.state.value).toBe('cancelled')
  })

  it('goes on asking when the line drops, and tells it', async () => {
    vi.spyOn(api, 'work')
      .mockRejectedValueOnce(new ApiProblem(0, 'away', ''))
      .mockResolvedValueOnce(told('done', 1))
    const run = work()
    await run.start(YEAR)
    await turn()
    expect(run.state.value).toBe('running')
    expect(run.word.value).toContain('no connection')
    await turn(2100)
    expect(run.state.value).toBe('done')
  })

  it('tells a refusal and a failure in words', async () => {
    vi.spyOn(api, 'startWork').mockRejectedValueOnce(new ApiProblem(422, 'Refused', 'no bank'))
    const run = work()
    await run.start(YEAR)
    expect(run.state.value).toBe('failed')
    expect(run.failure.value).not.toBe('')
    vi.spyOn(api, 'work').mockResolvedValue({ ...(told('failed') as object), problem: 'no sun' } as never)
    await run.start(YEAR)
    await turn()
    expect(run.failure.value).toBe('no sun')
  })
})
