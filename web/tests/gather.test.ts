// Findings of one rule are gathered: one heading for all it speaks of, nothing lost, nothing doubled.
import { describe, expect, it } from 'vitest'
import type { Finding } from '../src/api/client'
import { gathered, whoOf } from '../src/workspace/gather'

const JOB = {
  units: [{ id: 'LEFT' }, { id: 'RIGHT' }],
  bank: { modules: [{ id: 'M1' }, { id: 'M2' }] },
  sun: { chargers: [{ id: 'ROOF' }] },
}
const finding = (rule: string, title: string, at: string, severity: Finding['severity'] = 'caution'): Finding => ({
  rule,
  title,
  at,
  severity,
  stage: 'sheet',
  message: `${title} at ${at}.`,
  numbers: {},
  fix: 'Do it.',
  source: '',
  status: '',
})

describe('whom a finding speaks of', () => {
  it.each([
    ['/as_found/LEFT/bulk', 'LEFT'],
    ['/units/1/profile', 'RIGHT'],
    ['/bank/modules/0/resting_v', 'M1'],
    ['/sun/chargers/0/profile', 'ROOF'],
    ['/policy/loop', ''],
    ['/units/7/profile', ''],
    ['', ''],
  ])('%s is %s', (at, who) => expect(whoOf(at, JOB)).toBe(who))
})

describe('gathering', () => {
  it('says both units once', () => {
    const both = ['LEFT', 'RIGHT'].map((u) => finding('found-compensation', `${u} was found hot`, `/as_found/${u}/comp`))
    const [one, ...rest] = gathered(both, JOB)
    expect(rest).toEqual([])
    expect(one?.title).toBe('LEFT, RIGHT: found hot')
    expect(one?.lines.map((l) => [l.who, l.index])).toEqual([
      ['LEFT', 0],
      ['RIGHT', 1],
    ])
  })
  it('keeps apart what differs in severity or in matter', () => {
    const mixed = [
      finding('a', 'LEFT was found hot', '/as_found/LEFT/x'),
      finding('a', 'RIGHT was found hot', '/as_found/RIGHT/x', 'stop'),
      finding('a', 'RIGHT was found cold', '/as_found/RIGHT/x'),
      finding('b', 'Peaks', '/loads'),
      finding('b', 'Peaks', '/loads'),
    ]
    expect(gathered(mixed, JOB).map((g) => g.title)).toEqual(mixed.map((f) => f.title))
  })
  it('loses and doubles nothing, in the order of the first of each', () => {
    const places = [
      '/as_found/LEFT/a',
      '/as_found/RIGHT/a',
      '/units/0/profile',
      '/bank/modules/1/x',
      '/policy/loop',
      '/nowhere/3',
    ]
    let state = 1
    const pick = <T>(list: readonly T[]): T => list[(state = (state * 48271) % 2147483647) % list.length] as T
    for (let round = 0; round < 300; round++) {
      const all = Array.from({ length: round % 30 }, () =>
        finding(
          pick(['a', 'b']),
          pick(['LEFT was found hot', 'Peaks', 'M2 rests low']),
          pick(places),
          pick(['stop', 'caution', 'note'] as const),
        ),
      )
      const groups = gathered(all, JOB)
      expect(groups.flatMap((g) => g.lines.map((l) => l.index)).sort((x, y) => x - y)).toEqual(all.map((_, i) => i))
      const firsts = groups.map((g) => g.lines[0]?.index ?? -1)
      expect(firsts).toEqual([...firsts].sort((x, y) => x - y))
      for (const g of groups) for (const l of g.lines) expect([l.finding.rule, l.finding.severity]).toEqual([g.rule, g.severity])
    }
  })
})
