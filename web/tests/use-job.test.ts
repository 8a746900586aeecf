import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { api, ApiProblem, type Job, type Plan, type Saved } from '../src/api/client'
import { tab } from '../src/job/draft'
import { createPlanning } from '../src/job/planning'
import { createJob } from '../src/job/use-job'
import { shallowRef } from 'vue'
import { newClient, openingOf, used } from './mounting'

const document = { ewerer: 'job/1', name: 'Site', bank: { fuse_a: 400 } } as unknown as Job
const saved = (revision: number): Saved => ({ revision, saved_at: '2026-01-01T10:00:00Z', saved_by: 'ann' })
const settle = (ms = 1000) => vi.advanceTimersByTimeAsync(ms)

describe('the open job', () => {
  beforeEach(() => {
    vi.useFakeTimers()
    localStorage.clear()
    sessionStorage.clear()
    const stored = { ...saved(3), id: 'j', put_away: false, document } as never
    vi.spyOn(api, 'job').mockResolvedValue(stored)
    vi.spyOn(api, 'opening').mockResolvedValue(openingOf(stored))
    vi.spyOn(api, 'plan').mockResolvedValue({ findings: [], stages: [] } as unknown as Plan)
  })
  afterEach(() => {
    vi.restoreAllMocks()
    vi.useRealTimers()
  })
  async function opened() {
    const job = createJob('j', newClient())
    const opening = job.open()
    await vi.advanceTimersByTimeAsync(200) // other tabs are asked
    await opening
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

  it('takes the plan over that came with the job, and asks for one only where it does not fit', async () => {
    vi.spyOn(api, 'saveJob').mockResolvedValue(saved(4))
    const plan = { findings: [], stages: [], note: 'came with it' } as unknown as Plan
    const asked = vi.mocked(api.plan)
    const stored = { ...saved(3), id: 'j', put_away: false, document }
    vi.mocked(api.opening).mockResolvedValue(openingOf(stored, plan))
    const job = await opened()
    expect(job.plan.value).toEqual(plan)
    expect(asked).not.toHaveBeenCalled()
    job.set('/bank/fuse_a', 300)
    await settle()
    expect(asked).toHaveBeenCalledTimes(1)
    await job.close()
    // One that is older comes from what was kept for days without a network: shown, and asked for again.
    vi.mocked(api.opening).mockResolvedValue(openingOf(stored, plan, '2026-01-01T10:00:00Z'))
    const kept = await opened()
    await settle(10)
    expect(asked).toHaveBeenCalledTimes(2)
    // Of a document that differs from what is typed here it says nothing.
    localStorage.setItem('ewerer:draft:j', JSON.stringify({ base: 3, document: { ...document, name: 'Typed' } }))
    vi.mocked(api.opening).mockResolvedValue(openingOf(stored, plan))
    await kept.close()
    const typed = await opened()
    expect(typed.document.value?.name).toBe('Typed')
    expect(asked).toHaveBeenCalledTimes(3)
    expect(asked.mock.calls[2]?.[0].name).toBe('Typed')
    await settle()
    await typed.close()
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
    expect(localStorage.getItem(`ewerer:draft:j:${tab()}`)).toContain('300')
    await settle(5000)
    expect(save).toHaveBeenCalledTimes(2)
    expect(job.state.value).toBe('saved')
    expect(localStorage.getItem(`ewerer:draft:j:${tab()}`)).toBeNull()
  })

  it('takes a draft up again after a crash', async () => {
    localStorage.setItem('ewerer:draft:j', JSON.stringify({ base: 3, document: { ...document, name: 'Typed' } }))
    vi.spyOn(api, 'saveJob').mockResolvedValue(saved(4))
    const job = await opened()
    expect(job.document.value?.name).toBe('Typed')
    expect(job.restored.value).toBe(true)
  })

  const late = (theirs: object, revision = 7) =>
    new ApiProblem(409, 'late', '', [], { current_revision: revision, saved_by: 'bob', saved_at: '', theirs, yours: document })

  it('asks only what both changed, and loses neither', async () => {
    const theirs = { ...document, name: 'Theirs', bank: { fuse_a: 500 } }
    const save = vi.spyOn(api, 'saveJob').mockRejectedValueOnce(late(theirs))
    const job = await opened()
    job.set('/name', 'Mine')
    await settle()
    expect(job.state.value).toBe('conflict')
    expect(job.stale.value?.clashes.map((c) => c.pointer)).toEqual(['/name'])
    save.mockResolvedValue(saved(8))
    await job.settleConflict('mine')
    expect(save.mock.lastCall?.[1]).toBe(7)
    expect(job.document.value).toMatchObject({ name: 'Mine', bank: { fuse_a: 500 } })
  })
  it('takes theirs for one field and keeps the rest, and it can be undone', async () => {
    const save = vi.spyOn(api, 'saveJob').mockRejectedValueOnce(late({ ...document, name: 'Theirs' }))
    const job = await opened()
    job.setAll([
      ['/name', 'Mine'],
      ['/bank/fuse_a', 250],
    ])
    await settle()
    save.mockResolvedValue(saved(8))
    await job.settleConflict((clash) => (clash.pointer === '/name' ? 'theirs' : 'mine'))
    expect(job.document.value).toMatchObject({ name: 'Theirs', bank: { fuse_a: 250 } })
    expect(save.mock.lastCall?.[2]).toMatchObject({ name: 'Theirs', bank: { fuse_a: 250 } })
    job.undo()
    expect(job.at('/name')).toBe('Mine')
  })
  it('puts together what two people changed apart, without a question', async () => {
    const save = vi
      .spyOn(api, 'saveJob')
      .mockRejectedValueOnce(late({ ...document, name: 'Theirs' }))
      .mockResolvedValue(saved(8))
    const job = await opened()
    job.set('/bank/fuse_a', 250)
    await settle()
    await settle()
    expect(job.state.value).toBe('saved')
    expect(job.mergedFrom.value).toBe('bob')
    expect(save.mock.lastCall?.slice(1)).toEqual([7, { ...document, name: 'Theirs', bank: { fuse_a: 250 } }])
  })
  it('takes over what somebody else saved when the window is looked at again', async () => {
    const save = vi.spyOn(api, 'saveJob').mockResolvedValue(saved(4))
    const job = await opened()
    vi.mocked(api.job).mockResolvedValue({
      ...saved(5),
      id: 'j',
      put_away: false,
      document: { ...document, name: 'Theirs' },
    } as never)
    window.dispatchEvent(new Event('focus'))
    await settle(100)
    expect(job.at('/name')).toBe('Theirs')
    expect(job.revision.value).toBe(5)
    expect(save).not.toHaveBeenCalled()
  })
  const refused = (pointer: string) =>
    new ApiProblem(422, 'Refused', 'one thing', [{ pointer, message: 'too low', value: -5, expected: 'more' }] as never)

  it('saves everything but the field that is refused', async () => {
    const save = vi
      .spyOn(api, 'saveJob')
      .mockImplementation((_, __, doc) =>
        (doc as { bank?: { fuse_a?: number } }).bank?.fuse_a === -5
          ? Promise.reject(refused('/document/bank/fuse_a'))
          : Promise.resolve(saved(4)),
      )
    const job = await opened()
    job.set('/bank/fuse_a', -5)
    job.set('/name', 'Other')
    await settle()
    expect(save.mock.lastCall?.[2]).toMatchObject({ name: 'Other', bank: { fuse_a: 400 } })
    expect(job.state.value).toBe('refused')
    expect(job.refusals.value.map((p) => p.pointer)).toEqual(['/bank/fuse_a'])
    expect(job.at('/bank/fuse_a')).toBe(-5)
    expect(localStorage.getItem(`ewerer:draft:j:${tab()}`)).toContain('-5')
    job.set('/bank/fuse_a', 300)
    await settle()
    expect(job.state.value).toBe('saved')
  })
  it('plans the rest while a field is refused', async () => {
    vi.spyOn(api, 'saveJob').mockResolvedValue(saved(4))
    const job = await opened()
    vi.mocked(api.plan).mockImplementation((doc) =>
      (doc as { bank?: { fuse_a?: number } }).bank?.fuse_a === -5
        ? Promise.reject(refused('/bank/fuse_a'))
        : Promise.resolve({ job: (doc as Job).name, findings: [], stages: [] } as unknown as Plan),
    )
    job.set('/bank/fuse_a', -5)
    job.set('/name', 'Other')
    await settle()
    expect(job.plan.value?.job).toBe('Other')
    expect(job.problemAt.value.get('/bank/fuse_a')?.message).toBe('too low')
    expect(job.planState.value).toBe('fresh')
  })
  it('says that a plan is old after a failure, asks again by itself, and is fresh again', async () => {
    vi.spyOn(api, 'saveJob').mockResolvedValue(saved(4))
    const job = await opened()
    const made = job.planMadeAt.value
    vi.mocked(api.plan).mockRejectedValue(new ApiProblem(500, 'The server failed', 'It answered 500.'))
    job.set('/name', 'A')
    await settle(400)
    expect(job.planState.value).toBe('old')
    expect(job.planMadeAt.value).toBe(made)
    await settle(60_000)
    expect(job.planState.value).toBe('old')
    vi.mocked(api.plan).mockResolvedValue({ job: 'new', findings: [], stages: [] } as unknown as Plan)
    await settle(20_000)
    expect(job.planState.value).toBe('fresh')
    expect(job.plan.value?.job).toBe('new')
  })
  it('saves within three seconds however long somebody types', async () => {
    const save = vi.spyOn(api, 'saveJob').mockResolvedValue(saved(4))
    const job = await opened()
    for (let i = 0; i < 30; i++) {
      job.set('/name', `Name ${i}`)
      await settle(100)
    }
    expect(save).toHaveBeenCalled()
  })
  it('keeps half a text and the steps of undo over a reload of the tab', async () => {
    vi.spyOn(api, 'saveJob').mockResolvedValue(saved(4))
    const first = await opened()
    first.set('/bank/fuse_a', 250)
    first.typed.keep('/bank/modules/0/resting_v', '53.')
    await settle()
    await first.close()
    vi.mocked(api.job).mockResolvedValue({ ...saved(4), id: 'j', put_away: false, document: first.document.value } as never)
    const again = await opened()
    expect(again.typed.at('/bank/modules/0/resting_v')).toBe('53.')
    expect(again.restored.value).toBe(true)
    expect(again.undo()).toBe('/bank/fuse_a')
    expect(again.at('/bank/fuse_a')).toBe(400)
  })

  it('undoes, redoes, and never saves a what-if', async () => {
    const save = vi.spyOn(api, 'saveJob').mockResolvedValue(saved(4))
    const job = await opened()
    job.set('/bank/fuse_a', 350)
    await settle(2000)
    save.mockClear()
    await job.enterWhatIf()
    job.set('/bank/fuse_a', 100)
    await settle()
    expect(save).not.toHaveBeenCalled()
    job.leaveWhatIf(false)
    expect(job.at('/bank/fuse_a')).toBe(350)
    // What was changed before the what-if can still be undone.
    job.undo()
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

describe('a job that is left and opened again', () => {
  beforeEach(() => void vi.useFakeTimers())
  afterEach(() => void vi.useRealTimers())
  it('asks for its plan under numbers of its own: an answer kept for before is never shown', () => {
    const client = newClient()
    const opened = () => used(() => createPlanning('j', shallowRef(null), () => null, client))
    const [first, again] = [opened(), opened()]
    const turns = [first, again, first, again].map(({ value }) => {
      value.soon()
      vi.advanceTimersByTime(100)
      return value.turn.value
    })
    expect(new Set(turns).size).toBe(4)
    for (const { stop } of [first, again]) stop()
  })
})
