import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { learnFields, placeInWords, singleFields, valueInWords, wordsAt } from '../src/job/words'
import { learnStages, openStages, stageOf } from '../src/stages/registry'
import { goToPointer, shows } from '../src/ui/focus'
import { aField } from './mounting'

describe('which stage shows what', () => {
  beforeEach(() => {
    learnFields([
      aField('/bank', 'Bank', 'bank'),
      aField('/bank/modules/*/resting_v', 'Resting volts', 'bank', { unit: 'V' }),
      aField('/bank/modules/*/switches', 'Switches as found', 'link'),
      aField('/policy', 'Choices', 'thresholds'),
      aField('/policy/reserve_soc', 'Reserve', 'thresholds', { unit: '%', scale: 100 }),
      aField('/policy/mode', 'The bank stands', 'sources', { choices: [{ value: 'off-grid', word: 'off grid' }] }),
      aField('/as_found/*/*', 'As found', 'sheet'),
    ])
    learnStages(['site', 'bank', 'link', 'run'].map((name) => ({ name, word: name, about: '', planned: name !== 'run' })))
  })
  it.each([
    ['/bank/fuse_a', 'bank'],
    ['/bank/modules/3/switches', 'link'],
    ['/policy/float_school', 'thresholds'],
    ['/policy/mode', 'sources'],
    ['/as_found/U1/low-out', 'sheet'],
    ['/nothing', 'site'],
    ['', 'site'],
  ])('%s on %s', (pointer, stage) => expect(stageOf(pointer)).toBe(stage))
  it('opens only what is planned and drawn', () => expect(openStages.value).toEqual(['site', 'bank', 'link']))
  it('knows a field by its pattern, and which stand at one place', () => {
    expect(wordsAt('/bank/modules/2/resting_v')?.label).toBe('Resting volts')
    expect(wordsAt('/bank/modules/2')).toBeUndefined()
    expect(singleFields().map((f) => f.pointer)).not.toContain('/as_found/*/*')
  })
  it('says places and values in words', () => {
    const job = { bank: { modules: [{ id: 'M1' }, { id: 'M2', resting_v: 53 }] } }
    expect(placeInWords('/bank/modules/1/resting_v', job)).toBe('Bank, modules, M2, Resting volts')
    expect(placeInWords('', job)).toBe('the whole job')
    expect(valueInWords('/policy/reserve_soc', 0.2)).toBe('20 %')
    expect(valueInWords('/policy/mode', 'off-grid')).toBe('off grid')
    expect(valueInWords('/policy/mode', undefined)).toBe('nothing')
    expect(valueInWords('/bank', { a: 'x'.repeat(90) })).toHaveLength(58)
  })
})

describe('going to a field', () => {
  const scrolled = vi.fn()
  beforeEach(() => {
    vi.useFakeTimers()
    Element.prototype.scrollIntoView = scrolled.mockReset()
    document.body.innerHTML = `
      <fieldset data-pointer="/bank"><input data-pointer="/bank/fuse_a" /><span data-pointer="/bank/modules/0">M1</span></fieldset>
      <p data-pointer="/sheet_marks/U-1.b/low-out">row</p>`
  })
  afterEach(() => vi.useRealTimers())
  const lit = () => [...document.querySelectorAll('[data-flash]')].map((e) => e.getAttribute('data-pointer'))

  it('focuses it, brings it into sight and lights it up for a while', () => {
    expect(goToPointer('/bank/fuse_a')).toBe(true)
    expect(document.activeElement?.getAttribute('data-pointer')).toBe('/bank/fuse_a')
    expect(scrolled).toHaveBeenCalledTimes(1)
    expect(lit()).toEqual(['/bank/fuse_a'])
    vi.advanceTimersByTime(2000)
    expect(lit()).toEqual([])
  })
  it('scrolls once more when what stands above it may have grown, unless the person has gone on', () => {
    goToPointer('/bank/fuse_a')
    vi.advanceTimersByTime(500)
    expect(scrolled).toHaveBeenCalledTimes(2)
    goToPointer('/bank/fuse_a')
    ;(document.activeElement as HTMLElement).blur()
    vi.advanceTimersByTime(500)
    expect(scrolled).toHaveBeenCalledTimes(3)
  })
  it('stays lit when sent there twice', () => {
    goToPointer('/bank/fuse_a')
    vi.advanceTimersByTime(1500)
    goToPointer('/bank/fuse_a')
    vi.advanceTimersByTime(1000)
    expect(lit()).toEqual(['/bank/fuse_a'])
  })
  it('takes the nearest that holds it', () => {
    expect(goToPointer('/bank/modules/0/resting_v')).toBe(true)
    expect(document.activeElement?.textContent).toBe('M1')
    expect(goToPointer('/bank/unknown/deep')).toBe(true)
    expect(document.activeElement?.tagName).toBe('FIELDSET')
  })
  it('finds names with dots and dashes, and says when there is nothing', () => {
    expect(shows('/sheet_marks/U-1.b/low-out')).toBe(true)
    expect(shows('/sheet_marks/U-1')).toBe(false)
    expect(goToPointer('/elsewhere/at/all')).toBe(false)
  })
})
