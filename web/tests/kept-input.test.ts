import { mount } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import KeptInput from '../src/ui/KeptInput.vue'

describe('a text that counts when it is finished', () => {
  beforeEach(() => vi.useFakeTimers())
  afterEach(() => vi.useRealTimers())
  const shown = (w: ReturnType<typeof mount>) => (w.find('input, textarea').element as HTMLInputElement).value
  const type = (w: ReturnType<typeof mount>, text: string) => {
    const field = w.find('input, textarea')
    ;(field.element as HTMLInputElement).value = text
    return field.trigger('input')
  }

  it('stays as typed while everything around it is drawn anew', async () => {
    const w = mount(KeptInput, { props: { value: '56.4' } })
    await type(w, '55.')
    await w.setProps({ value: '56.4', 'aria-invalid': 'true' } as never)
    await w.setProps({ value: '57.0' })
    expect(shown(w)).toBe('55.')
    expect(w.emitted('commit')).toBeUndefined()
  })
  it('counts once, by Enter or by leaving', async () => {
    const w = mount(KeptInput, { props: { value: '' } })
    await type(w, '55.2')
    await w.find('input').trigger('keydown', { key: 'Enter' })
    await w.find('input').trigger('change')
    expect(w.emitted('commit')).toEqual([['55.2']])
    await type(w, '55.3')
    await w.find('input').trigger('change')
    expect(w.emitted('commit')).toEqual([['55.2'], ['55.3']])
  })
  it('is finished before what Enter does next', async () => {
    const order: string[] = []
    const w = mount(KeptInput, {
      props: { value: '', onCommit: () => order.push('commit') },
      attrs: { onKeydown: () => order.push('move') },
    })
    await type(w, 'x')
    await w.find('input').trigger('keydown', { key: 'Enter' })
    expect(order).toEqual(['commit', 'move'])
  })
  it('follows what is stored when nobody types: undo, another person', async () => {
    const w = mount(KeptInput, { props: { value: 'a' } })
    await w.setProps({ value: 'b' })
    expect(shown(w)).toBe('b')
    await type(w, 'c')
    await w.find('input').trigger('change')
    await w.setProps({ value: 'c' })
    await w.setProps({ value: 'b' })
    expect(shown(w)).toBe('b')
  })
  it('counts after a pause where that is asked for, and when it goes away', async () => {
    const told: string[] = []
    const w = mount(KeptInput, { props: { value: '', area: true, pause: 600, onCommit: (text: string) => told.push(text) } })
    await type(w, 'call')
    vi.advanceTimersByTime(500)
    await type(w, 'call Ann')
    vi.advanceTimersByTime(599)
    expect(told).toEqual([])
    vi.advanceTimersByTime(1)
    expect(told).toEqual(['call Ann'])
    await type(w, 'call Ann at nine')
    w.unmount()
    expect(told).toEqual(['call Ann', 'call Ann at nine'])
  })
  it('says nothing when nothing was typed', async () => {
    const w = mount(KeptInput, { props: { value: 'a' } })
    await w.find('input').trigger('keydown', { key: 'Enter' })
    await w.find('input').trigger('change')
    w.unmount()
    expect(w.emitted('commit')).toBeUndefined()
  })
})
