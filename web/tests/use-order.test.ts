import { flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { effectScope, ref, shallowRef } from 'vue'
import { api, ApiProblem, type Job, type Plan, type UnitOrder } from '../src/api/client'
import { useOrder } from '../src/sheet/use-order'
import type { OpenJob } from '../src/workspace/use-job'

const list = (unit: string) => ({ unit, steps: [] }) as unknown as UnitOrder

describe('the working list of a unit', () => {
  afterEach(() => vi.restoreAllMocks())
  function used(unit = 'U1') {
    vi.spyOn(console, 'warn').mockImplementation(() => undefined)
    const plan = shallowRef<Plan | null>({} as Plan)
    const document = shallowRef<Job | null>({ name: 'Site' } as Job)
    const chosen = ref<string | undefined>(unit)
    const made = effectScope().run(() => useOrder({ plan, document } as unknown as OpenJob, chosen))!
    return { ...made, plan, document, chosen }
  }

  it('is asked for at once and again with every plan and unit', async () => {
    const asked = vi.spyOn(api, 'order').mockImplementation(async (unit) => list(unit))
    const { order, plan, chosen } = used()
    await flushPromises()
    expect(order.value?.unit).toBe('U1')
    plan.value = {} as Plan
    await flushPromises()
    chosen.value = 'U2'
    await flushPromises()
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
    const { order, chosen } = used()
    chosen.value = 'U2'
    await flushPromises()
    answers[1]?.(list('U2'))
    await flushPromises()
    answers[0]?.(list('U1'))
    await flushPromises()
    expect(order.value?.unit).toBe('U2')
    expect(aborted).toEqual([true])
  })
  it('tells a failure in words and keeps the list it had', async () => {
    const asked = vi.spyOn(api, 'order').mockResolvedValueOnce(list('U1'))
    const { order, failure, plan } = used()
    await flushPromises()
    asked.mockRejectedValueOnce(new ApiProblem(422, 'No list', 'No sheet can be made yet.'))
    plan.value = {} as Plan
    await flushPromises()
    expect(failure.value).toBe('No sheet can be made yet.')
    expect(order.value?.unit).toBe('U1')
    asked.mockResolvedValueOnce(list('U1'))
    plan.value = {} as Plan
    await flushPromises()
    expect(failure.value).toBe('')
  })
  it('asks nothing without a unit or a document', async () => {
    const asked = vi.spyOn(api, 'order').mockResolvedValue(list('U1'))
    const one = used('')
    one.document.value = null
    one.chosen.value = 'U1'
    await flushPromises()
    expect(asked).not.toHaveBeenCalled()
  })
})
