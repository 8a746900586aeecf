import { flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { nextTick, ref, shallowRef } from 'vue'
import { api, ApiProblem, type Job, type UnitOrder } from '../src/api/client'
import { useOrder } from '../src/stages/sheet/use-order'
import type { OpenJob } from '../src/job/use-job'
import { used } from './mounting'

const list = (unit: string) => ({ unit, steps: [] }) as unknown as UnitOrder

describe('the working list of a unit', () => {
  afterEach(() => vi.restoreAllMocks())
  function asking(unit = 'U1') {
    const turn = ref(1)
    const planned = shallowRef<Job | null>({ name: 'Site' } as Job)
    const chosen = ref<string | undefined>(unit)
    const job = { id: 'j', turn, planned } as unknown as OpenJob
    return { ...used(() => useOrder(job, chosen)).value, turn, planned, chosen }
  }
  const settled = async () => {
    await nextTick()
    await flushPromises()
  }

  it('is asked for at once and again with every plan and unit', async () => {
    const asked = vi.spyOn(api, 'order').mockImplementation(async (unit) => list(unit))
    const { order, turn, chosen } = asking()
    await settled()
    expect(order.value?.unit).toBe('U1')
    turn.value++
    await settled()
    chosen.value = 'U2'
    await settled()
    expect(asked.mock.calls.map(([unit]) => unit)).toEqual(['U1', 'U1', 'U2'])
    expect(order.value?.unit).toBe('U2')
  })
  it('drops an answer that comes after a newer question', async () => {
    const answers: ((o: UnitOrder) => void)[] = []
    const aborted: boolean[] = []
    vi.spyOn(api, 'order').mockImplementation((_, __, signal) => {
      signal?.addEventListener('abort', () => aborted.push(true))
      return new Promise((r) => answers.push(r))
    })
    const { order, chosen } = asking()
    await settled()
    chosen.value = 'U2'
    await settled()
    answers[1]?.(list('U2'))
    await settled()
    answers[0]?.(list('U1'))
    await settled()
    expect(order.value?.unit).toBe('U2')
    expect(aborted).toEqual([true])
  })
  it('tells a failure in words and keeps the list it had', async () => {
    const asked = vi.spyOn(api, 'order').mockResolvedValueOnce(list('U1'))
    const { order, failure, turn } = asking()
    await settled()
    asked.mockRejectedValueOnce(new ApiProblem(422, 'No list', 'No sheet can be made yet.'))
    turn.value++
    await settled()
    expect(failure.value).toBe('No sheet can be made yet.')
    expect(order.value?.unit).toBe('U1')
    asked.mockResolvedValueOnce(list('U1'))
    turn.value++
    await settled()
    expect(failure.value).toBe('')
  })
  it('asks nothing without a unit or a document', async () => {
    const asked = vi.spyOn(api, 'order').mockResolvedValue(list('U1'))
    const one = asking('')
    one.planned.value = null
    one.chosen.value = 'U1'
    await settled()
    expect(asked).not.toHaveBeenCalled()
  })
})
