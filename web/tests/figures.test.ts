import { describe, expect, it } from 'vitest'
import { amps, inBrief, moment, percent, tidy, when } from '../src/ui/figures'
import { differences, read, write } from '../src/job/pointer'
import { freeId, moduleFigures } from '../src/stages/bank/modules'

describe('figures as people read them', () => {
  it('shows figures without dust', () => {
    expect(tidy(0.1 + 0.2)).toBe('0.3')
    expect(amps(98.34)).toBe('98.3 A')
    expect(amps(null)).toBe('none')
    expect(percent(0.047)).toBe('4.7 %')
  })
})

describe('names in a narrow place', () => {
  it.each([
    [['U1'], 'U1'],
    [['P1', 'P2', 'P3'], 'P1 P2 P3'],
    [['U0', 'U1', 'U2', 'U3'], 'U0 +3'],
    [['LEFT', 'RIGHT'], 'LEFT RIGHT'],
    [['NORTH-1', 'NORTH-2'], 'NORTH-1 +1'],
  ])('%j', (names, text) => expect(inBrief(names)).toBe(text))
})

describe('times', () => {
  it('are written the same wherever the browser is', () => {
    const at = new Date(2026, 2, 5, 14, 7).toISOString()
    expect(moment(at)).toBe('5 Mar 2026, 14:07')
    expect(when(at)).toBe('5 Mar 2026')
    expect(when(new Date().toISOString())).toMatch(/^\d\d:\d\d$/)
    expect(moment(new Date(2026, 2, 5, 0, 5).toISOString())).toBe('5 Mar 2026, 00:05')
  })
})

describe('JSON pointers', () => {
  const job = { bank: { modules: [{ id: 'A' }, { id: 'B' }], fuse_a: 400 } }
  it('reads', () => {
    expect(read(job, '/bank/modules/1/id')).toBe('B')
    expect(read(job, '/bank/none/1')).toBeUndefined()
    expect(read({ 'a/b': { '~': 1 } }, '/a~1b/~0')).toBe(1)
  })
  it('writes a copy and leaves the original alone', () => {
    const next = write(job, '/bank/modules/0/resting_v', 53)
    expect(read(next, '/bank/modules/0')).toEqual({ id: 'A', resting_v: 53 })
    expect(job.bank.modules[0]).toEqual({ id: 'A' })
    expect(next.bank.modules[1]).toBe(job.bank.modules[1])
  })
  it('removes a key and the objects left empty', () => {
    const with_ = write(job, '/policy/own_figures/shutdown_v', 46)
    expect(write(with_, '/policy/own_figures/shutdown_v', undefined)).toEqual(job)
  })
  it('takes an element out of a list', () => expect(write(job, '/bank/modules/0', undefined).bank.modules).toEqual([{ id: 'B' }]))
  it('names the places that differ', () => expect(differences(job, write(job, '/bank/fuse_a', 300))).toEqual(['/bank/fuse_a']))
})

describe('small helpers', () => {
  it('finds a free name', () => expect(freeId(['M1', 'M3', 'M2'])).toBe('M4'))
  it('starts from the last nameplate, else from what the plan proposes', () => {
    expect(moduleFigures({ id: 'A', series_cells: 15, resting_v: 50 }, { series_cells: 8 })).toEqual({ series_cells: 15 })
    expect(moduleFigures({ id: 'A', profile: 'p' }, { series_cells: 16 })).toEqual({ series_cells: 16 })
    expect(moduleFigures(undefined)).toEqual({})
  })
})
