import { describe, expect, it } from 'vitest'
import { carried } from '../src/stages/windows/day'
import { clock, DAY, minutes, moved, onDay, pieces, type Win } from '../src/stages/windows/ribbon'

const win = (from: string, to: string, more: Partial<Win> = {}): Win => ({ from, to, action: 'use', ...more })
const lengthOf = (w: Win) => (minutes(w.to) - minutes(w.from) + DAY) % DAY || DAY
const numbers = (seed: number, n: number) => {
  let s = seed
  return Array.from({ length: n }, () => (s = (s * 48271) % 2147483647) / 2147483647)
}

describe('times', () => {
  it('go to minutes and back', () => {
    for (let m = 0; m <= DAY; m += 7) expect(minutes(clock(m))).toBe(m)
    expect(clock(DAY)).toBe('24:00')
    expect(clock(-15)).toBe('23:45')
    expect(clock(DAY + 30)).toBe('00:30')
  })
})

describe('weekdays', () => {
  it('are ranges, lists, or ranges over the weekend', () => {
    const on = (days: string | undefined) => [0, 1, 2, 3, 4, 5, 6].filter((d) => onDay(days, d))
    expect(on(undefined)).toHaveLength(7)
    expect(on('all')).toHaveLength(7)
    expect(on('mon-fri')).toEqual([0, 1, 2, 3, 4])
    expect(on('sat,sun')).toEqual([5, 6])
    expect(on('fri-mon')).toEqual([0, 4, 5, 6])
    expect(on('tue,thu-fri')).toEqual([1, 3, 4])
  })
})

describe('pieces of windows', () => {
  it('split at midnight, the morning on the next day', () => {
    const w = [win('23:00', '06:30', { days: 'fri' })]
    expect(pieces(w, 4)).toEqual([{ index: 0, from: 1380, to: DAY, part: 'evening' }])
    expect(pieces(w, 5)).toEqual([{ index: 0, from: 0, to: 390, part: 'morning' }])
    expect(pieces(w, 6)).toEqual([])
    expect(pieces([win('23:00', '06:30')], 2).map((p) => p.part)).toEqual(['evening', 'morning'])
  })
  it('leave nothing of an empty one, and no morning of one that ends at midnight', () => {
    expect(pieces([win('05:00', '05:00')], 0)).toEqual([])
    expect(pieces([win('20:00', '24:00')], 0)).toEqual([{ index: 0, from: 1200, to: DAY, part: 'whole' }])
    expect(pieces([win('20:00', '00:00')], 0)).toEqual([{ index: 0, from: 1200, to: DAY, part: 'evening' }])
  })
})

describe('moving a window', () => {
  it('keeps its length, lands on the grid and may go over midnight', () => {
    expect(moved(win('17:00', '20:00'), 300, 'all', 15)).toMatchObject({ from: '22:00', to: '01:00' })
    expect(moved(win('22:00', '01:00'), 130, 'all', 15)).toMatchObject({ from: '00:15', to: '03:15' })
    for (const [i, r] of numbers(7, 200).entries()) {
      const w = win(clock(Math.round(r * 95) * 15), clock((Math.round(r * 95) * 15 + 15 + (i % 90) * 15) % DAY))
      const next = moved(w, (r - 0.5) * 4000, 'all', 15)
      expect(minutes(next.from) % 15).toBe(0)
      expect(lengthOf(next)).toBe(Math.min(lengthOf(w), DAY - 15))
    }
  })
  it('stretches one end alone and never to nothing', () => {
    expect(moved(win('17:00', '20:00'), 60, 'to', 15)).toMatchObject({ from: '17:00', to: '21:00' })
    expect(moved(win('17:00', '20:00'), 60, 'from', 15)).toMatchObject({ from: '18:00', to: '20:00' })
    expect(moved(win('17:00', '20:00'), -600, 'to', 15)).toMatchObject({ from: '17:00', to: '17:15' })
    expect(moved(win('17:00', '20:00'), 600, 'from', 15)).toMatchObject({ from: '19:45', to: '20:00' })
    expect(moved(win('21:00', '23:00'), 60, 'to', 15)).toMatchObject({ to: '24:00' })
  })
  it('leaves the rest of the window alone', () => {
    const w = win('17:00', '20:00', { days: 'mon-fri', target_soc: 0.4, power_w: 900 })
    expect(moved(w, 15, 'all', 15)).toEqual({ ...w, from: '17:15', to: '20:15' })
  })
})

describe('a simulated day', () => {
  const names =
    'sun_load_w sun_other_w output_load_w output_other_w bank_load_w bank_other_w mains_load_w mains_other_w unserved_w'
  const columns = Object.fromEntries(names.split(' ').map((n, k) => [n, numbers(k + 2, 60)]))
  const flags = { generator: numbers(21, 60).map((v) => Number(v > 0.5)), on_mains: numbers(22, 60).map((v) => Number(v > 0.5)) }
  const series = {
    minute: Array.from({ length: 60 }, (_, i) => i + 5),
    columns: { ...columns, ...flags },
    reason: [],
    reasons: [],
  }
  const day = carried(series as never)
  it('every watt of the loads stands in exactly one layer', () => {
    for (let i = 0; i < 60; i++) {
      const sum = Object.values(day.layers).reduce((all, l) => all + (l[i] ?? 0), 0)
      expect(sum).toBeCloseTo(
        Object.values(columns).reduce((all, c) => all + (c[i] as number), 0),
        6,
      )
      expect(day.layers['From the mains']?.[i] === 0 || flags.generator[i] === 0).toBe(true)
    }
  })
  it('tells each change between bank and AC, at its minute', () => {
    const wanted = flags.on_mains.flatMap((v, i) => (i && v !== flags.on_mains[i - 1] ? [i + 5] : []))
    expect(day.transfers).toEqual(wanted)
    expect(wanted.length).toBeGreaterThan(5)
  })
})
