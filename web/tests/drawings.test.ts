import { describe, expect, it } from 'vitest'
import { layNarrows } from '../src/stages/limits/narrows'
import { scaleOf, snap, spread, ticks } from '../src/stages/thresholds/ladder'
import type { Chain } from '../src/api/client'

function random(seed: number) {
  return () => (seed = (seed * 16807) % 2147483647) / 2147483647
}

describe('labels of close rungs', () => {
  it('never collide, keep their order and stay inside', () => {
    const next = random(7)
    for (let run = 0; run < 200; run++) {
      const n = 1 + Math.floor(next() * 12)
      const wanted = Array.from({ length: n }, () => next() * 500)
      const laid = spread(wanted, 30, 10, 490)
      const order = wanted.map((_, i) => i).sort((a, b) => (wanted[a] as number) - (wanted[b] as number))
      const gap = Math.min(30, n > 1 ? 480 / (n - 1) : 30)
      order.forEach((i, k) => {
        expect(laid[i]).toBeGreaterThanOrEqual(10 - 1e-6)
        expect(laid[i]).toBeLessThanOrEqual(490 + 1e-6)
        if (k) expect((laid[i] as number) - (laid[order[k - 1] as number] as number)).toBeGreaterThanOrEqual(gap - 1e-6)
      })
    }
  })
  it('stay where they are when there is room', () => expect(spread([50, 200, 400], 30, 0, 500)).toEqual([50, 200, 400]))
})

describe('scale', () => {
  it('inverts', () => {
    const s = scaleOf(40, 60, 10, 410)
    expect(s.y(60)).toBe(10)
    expect(s.value(s.y(51.3))).toBeCloseTo(51.3)
  })
  it('snaps to the unit step without dust', () => {
    expect(snap(45.68, 0.1)).toBe(45.7)
    expect(snap(24.37, 0.2, 24.4)).toBe(24.4)
  })
  it('marks whole steps', () => expect(ticks(41, 58.5, 10)).toEqual([42, 44, 46, 48, 50, 52, 54, 56, 58]))
})

describe('narrows', () => {
  const cap = (name: string, a: number) => ({ cap: name, word: name, a, why: '', rule: 'r', without_one_a: a / 2 })
  const chain = {
    bank_a: 100,
    binding: 'b',
    caps: [cap('a', 300), cap('b', 100), cap('c', 200)],
    units: [
      { unit: 'U1', a: 60, own_max_a: 80, kind: 'unit' },
      { unit: 'S1', a: 40, own_max_a: 80, kind: 'sun-charger' },
    ],
    needed_a: null,
    needed_peak_a: null,
    without_one_a: 50,
  } as Chain
  const laid = layNarrows(chain, { width: 700, height: 100, lanes: 100 })
  it('is as wide as the amps', () => {
    expect(laid.reaches.map((r) => Math.round((r.half * 2) / laid.perAmp))).toEqual([300, 100, 200])
    expect(laid.reaches.filter((r) => r.narrowest).map((r) => r.cap)).toEqual(['b'])
  })
  it('labels each lane, and equal ones together where they stand too close', () => {
    expect(laid.labels.map((l) => l.text)).toEqual(['U1 60 A', 'S1 40 A'])
    const units = Array.from({ length: 12 }, (_, i) => ({ unit: `U${i}`, a: 8, own_max_a: 80, kind: 'unit' }))
    const many = layNarrows({ ...chain, units: [...units, { unit: 'S1', a: 4, own_max_a: 9, kind: 'sun-charger' }] } as Chain, {
      width: 700,
      height: 100,
      lanes: 100,
    })
    expect(many.labels.map((l) => l.text)).toEqual(['12 × 8 A', 'S1 4 A'])
    expect(many.labels[0]?.y).toBeLessThan(many.labels[1]?.y ?? 0)
    expect(layNarrows({ ...chain, units: [] } as Chain, { width: 700, height: 100, lanes: 100 }).labels).toEqual([])
  })
  it('ends in lanes that share it', () => {
    expect((laid.lanes[0]?.height ?? 0) / (laid.lanes[1]?.height ?? 1)).toBeCloseTo(1.5)
    expect(laid.lanes[1]?.y).toBeGreaterThan((laid.lanes[0]?.y ?? 0) + (laid.lanes[0]?.height ?? 0))
  })
})
