import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { api, ApiProblem, type Job, type Plan, type Saved } from '../src/api/client'
import { createJob } from '../src/job/use-job'
import { newClient } from './mounting'

const document = { ewerer: 'job/1', name: 'Site', bank: { fuse_a: 400 } } as unknown as Job
const saved = (revision: number): Saved => ({ revision, saved_at: '2026-01-01T10:00:00Z', saved_by: 'ann' })
const settle = (ms = 1000) => vi.advanceTimersByTimeAsync(ms)

describe('the open job', () => {
  beforeEach(() => {
    vi.useFakeTimers()
    localStorage.clear()
    vi.spyOn(api, 'job').mockResolvedValue({ ...saved(3), id: 'j', put_away: false, document } as never)
    vi.spyOn(api, 'plan').mockResolvedValue({ findings: [], stages: [] } as unknown as Plan)
  })
  afterEach(() => {
    vi.restoreAllMocks()
    vi.useRealTimers()
  })
  async function opened() {
    const job = createJob('j', newClient())
    await job.open()
    return job
  }

  it('saves what was typed, once, on top of the revision it knows', async () => {
    const save = vi.spyOn(api, 'saveJob').mockResolvedValue(saved(4))
    const job = await opened()
    job.set('/bank/fuse_a', 300)
    job.set('/bank/fuse_a', 250)
    await settle()
    expect(save).toHaveBeenCalledTimes(1)
    expect(save.mock.calls[0]?.[1]).toBe(3)
    expect(job.state.value).toBe('saved')
    expect(job.revision.value).toBe(4)
  })

  it('keeps a draft while offline and sends it later', async () => {
    const save = vi
      .spyOn(api, 'saveJob')
      .mockRejectedValueOnce(new ApiProblem(0, 'away', ''))
      .mockResolvedValue(saved(4))
    const job = await opened()
    job.set('/bank/fuse_a', 300)
    await settle()
    expect(job.state.value).toBe('offline')
    expect(localStorage.getItem('ewerer:draft:j')).toContain('300')
    await settle(5000)
    expect(save).toHaveBeenCalledTimes(2)
    expect(job.state.value).toBe('saved')
    expect(localStorage.getItem('ewerer:draft:j')).toBeNull()
  })

  it('takes a draft up again after a crash', async () => {
    localStorage.setItem('ewerer:draft:j', JSON.stringify({ base: 3, document: { ...document, name: 'Typed' } }))
    vi.spyOn(api, 'saveJob').mockResolvedValue(saved(4))
    const job = await opened()
    expect(job.document.value?.name).toBe('Typed')
    expect(job.restored.value).toBe(true)
  })

  it('shows both versions on a conflict and loses neither', async () => {
    const theirs = { ...document, name: 'Theirs' }
    const late = { current_revision: 7, saved_by: 'bob', saved_at: '', theirs, yours: document }
    const save = vi.spyOn(api, 'saveJob').mockRejectedValueOnce(new ApiProblem(409, 'late', '', [], late))
    const job = await opened()
    job.set('/name', 'Mine')
    await settle()
    expect(job.state.value).toBe('conflict')
    save.mockResolvedValue(saved(8))
    await job.settleConflict('mine')
    expect(save.mock.lastCall?.[1]).toBe(7)
    expect(job.document.value?.name).toBe('Mine')
  })

  it('undoes, redoes, and never saves a what-if', async () => {
    const save = vi.spyOn(api, 'saveJob').mockResolvedValue(saved(4))
    const job = await opened()
    await job.enterWhatIf()
    job.set('/bank/fuse_a', 100)
    await settle()
    expect(save).not.toHaveBeenCalled()
    job.leaveWhatIf(false)
    expect(job.at('/bank/fuse_a')).toBe(400)
    job.set('/bank/fuse_a', 200)
    job.undo()
    expect(job.at('/bank/fuse_a')).toBe(400)
    job.redo()
    expect(job.at('/bank/fuse_a')).toBe(200)
  })

  it('takes the keystrokes of one figure back at once', async () => {
    vi.spyOn(api, 'saveJob').mockResolvedValue(saved(4))
    const job = await opened()
    for (const typed of [2, 25, 250]) job.set('/bank/fuse_a', typed)
    await settle(2000)
    job.set('/bank/fuse_a', 260)
    job.undo()
    expect(job.at('/bank/fuse_a')).toBe(250)
    job.undo()
    expect(job.at('/bank/fuse_a')).toBe(400)
    expect(job.canUndo.value).toBe(false)
  })

  it('drops a stale plan', async () => {
    const job = await opened()
    let late: (p: Plan) => void = () => undefined
    vi.spyOn(api, 'plan')
      .mockImplementationOnce(() => new Promise((r) => (late = r)))
      .mockResolvedValue({ job: 'new', findings: [], stages: [] } as unknown as Plan)
    job.set('/name', 'A')
    await settle(100)
    job.set('/name', 'B')
    await settle(100)
    late({ job: 'old' } as Plan)
    await settle(10)
    expect(job.plan.value?.job).toBe('new')
  })
})
