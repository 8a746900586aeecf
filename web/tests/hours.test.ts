import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import HoursFigure from '../src/stages/site/HoursFigure.vue'
import { mounted, quiet, serve } from './mounting'

describe('the loads by the hour', () => {
  beforeEach(() => {
    quiet()
    serve({ name: 'Site' })
  })
  afterEach(() => {
    vi.restoreAllMocks()
    vi.unstubAllGlobals()
  })
  const pasted = (text: string) => ({ clipboardData: { getData: () => text } })

  it('are moved by keys, an hour at a time, and taken back', async () => {
    const { wrapper, job } = await mounted(HoursFigure, {})
    expect(wrapper.text()).toContain('Not given')
    await wrapper.get('[data-hour="3"]').trigger('keydown', { key: 'PageDown' })
    await wrapper.get('[data-hour="3"]').trigger('keydown', { key: 'ArrowDown' })
    expect(job.at('/loads/shape')).toEqual([100, 100, 100, 75, ...new Array(20).fill(100)])
    expect(wrapper.get('[data-hour="3"]').attributes('aria-valuenow')).toBe('75')
    await wrapper.get('button').trigger('click')
    expect(job.at('/loads/shape')).toBeUndefined()
  })
  it('come from a column of a spreadsheet, decimal commas too, or are refused in words and nothing is lost', async () => {
    const { wrapper, job } = await mounted(HoursFigure, {})
    const column = Array.from({ length: 24 }, (_, h) => `${h},5`)
    await wrapper.trigger('paste', pasted(column.join('\r\n')))
    expect(job.at('/loads/shape')).toEqual(Array.from({ length: 24 }, (_, h) => h + 0.5))
    for (const bad of [column.slice(1).join('\n'), [...column.slice(1), '-1'].join('\n'), [...column.slice(1), 'x'].join('\n')]) {
      await wrapper.trigger('paste', pasted(bad))
      expect(wrapper.get('[role=alert]').text()).toContain('24 are needed')
      expect((job.at('/loads/shape') as number[])[0]).toBe(0.5)
    }
  })
  it('never become nothing at all', async () => {
    const { wrapper, job } = await mounted(HoursFigure, {})
    await wrapper.trigger('paste', pasted(new Array(24).fill('0').join('\n')))
    expect(job.at('/loads/shape')).toBeUndefined()
  })
})
