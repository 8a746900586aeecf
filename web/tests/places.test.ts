import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { BUILT, goToPointer, shows, stageOf, STAGES } from '../src/workspace/places'

describe('which stage shows what', () => {
  it.each([
    ['/name', 'site'],
    ['/site/altitude_m', 'site'],
    ['/loads/peak_w', 'site'],
    ['/mains/breaker_a', 'site'],
    ['/bank/modules/3/lead_mohm', 'bank'],
    ['/policy/new_bank', 'bank'],
    ['/bank/modules/3/switches', 'link'],
    ['/units/1/firmware', 'units'],
    ['/sun/chargers/0', 'units'],
    ['/link/measured_ohm', 'link'],
    ['/policy/loop', 'link'],
    ['/policy/max_discharge_c_rate', 'limits'],
    ['/policy/float_school', 'thresholds'],
    ['/policy/own_figures/alarm_v', 'thresholds'],
    ['/policy/source_order', 'sources'],
    ['/policy/peak_cap_w', 'sources'],
    ['/generator/quiet_from', 'sources'],
    ['/windows/2', 'windows'],
    ['/tariff/prices/0', 'windows'],
    ['/flow/outages', 'windows'],
    ['/as_found/U1/low-out', 'sheet'],
    ['/sheet_marks/U1/low-out', 'sheet'],
  ])('%s on %s', (pointer, stage) => expect(stageOf(pointer)).toBe(stage))
  it('never one that is not built', () => {
    for (const pointer of ['', '/', '/policy', '/nothing', '/bank']) expect(BUILT).toContain(stageOf(pointer))
    expect(STAGES.slice(0, BUILT.length)).toEqual(BUILT)
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
