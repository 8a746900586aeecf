// Whether an entry still stands when the plan has changed: the same cases as the server's (tests/core/test_run.py).
import { describe, expect, it } from 'vitest'
import { stands, statusesOf } from '../src/record/standing'

describe('what was entered', () => {
  it.each([
    ['27.6', { status: 'done', shown: '27,60' }, true],
    ['27.6', { status: 'done', shown: '27.5' }, false],
    ['On', { status: 'done', shown: 'on' }, true],
    ['On', { status: 'done', shown: '' }, true],
    ['27.6', { status: 'skipped', shown: '27.5' }, true],
    ['Mat', { status: 'done', shown: 'Wet' }, false],
  ])('%s after %o stands: %s', (enter, told, right) => {
    expect(stands(enter, told)).toBe(right)
  })
  it('is to be entered again where the plan has changed, and only there', () => {
    const steps = [
      {
        id: 's',
        lines: [
          { id: 'a', enter: '1' },
          { id: 'b', enter: '2' },
        ],
      },
    ]
    const told = { a: { status: 'done', shown: '1' }, b: { status: 'done', shown: '3' }, c: { status: 'failed' } }
    expect(statusesOf(steps, told)).toEqual({ a: 'done', b: '', c: 'failed' })
  })
})
