import { describe, expect, it, vi } from 'vitest'
import { typedAhead } from '../src/workspace/typed-ahead'

const key = (k: string, more: KeyboardEventInit = {}) => new KeyboardEvent('keydown', { key: k, cancelable: true, ...more })

describe('what is typed before a field is there', () => {
  it('is kept letter by letter, and taken once', () => {
    const ahead = typedAhead()
    ahead.begin()
    for (const k of 'floss') expect(ahead.keeps(key(k))).toBe(true)
    for (const k of ['Backspace', 'Backspace']) expect(ahead.keeps(key(k))).toBe(true)
    expect(ahead.keeps(key('a'))).toBe(true)
    expect(ahead.take()).toBe('floa')
    expect(ahead.take()).toBe('')
    expect(ahead.keeps(key('t'))).toBe(false)
  })
  it('leaves the browser its own keys, and ends at Escape', () => {
    const ahead = typedAhead()
    expect(ahead.keeps(key('a'))).toBe(false)
    ahead.begin()
    const tab = key('Tab')
    expect(ahead.keeps(tab)).toBe(false)
    expect(tab.defaultPrevented).toBe(false)
    expect(ahead.keeps(key('c', { ctrlKey: true }))).toBe(false)
    expect(ahead.keeps(key('Escape'))).toBe(false)
    expect(ahead.keeps(key('a'))).toBe(false)
  })
  it('does not wait for ever for a dialog that does not come', () => {
    vi.useFakeTimers()
    const ahead = typedAhead()
    ahead.begin()
    vi.advanceTimersByTime(20_000)
    expect(ahead.keeps(key('a'))).toBe(false)
    vi.useRealTimers()
  })
})
