import { describe, expect, it } from 'vitest'
import type { Cable } from '../src/api/client'
import { drawCable, flipped, lettersOf, solidOf, striped } from '../src/stages/link/cable'

const cable = {
  straight: false,
  kind: 'made',
  wires: [
    { from: 1, to: 4, signal: 'CAN-H', colour: 'white/orange', conductor: 1, pair: 0 },
    { from: 2, to: 5, signal: 'CAN-L', colour: 'orange', conductor: 2, pair: 0 },
  ],
  open_pins: [{ end: 'bms', pin: 8, signal: '+5V', why: 'carries supply' }],
  length_limit_m: 100,
  length_m: null,
  advice: [],
} as unknown as Cable

describe('cable card', () => {
  const drawn = drawCable(cable, { left: 100, right: 500, top: 30, step: 20 })
  it('draws eight pins at each end, named where used', () => {
    expect(drawn.pins).toHaveLength(16)
    expect(drawn.pins.find((p) => p.end === 'unit' && p.pin === 4)?.word).toBe('CAN-H')
    expect(drawn.pins.find((p) => p.end === 'unit' && p.pin === 1)?.word).toBe('')
  })
  it('bars what must stay open', () => {
    expect(drawn.pins.filter((p) => p.barred)).toEqual([expect.objectContaining({ end: 'bms', pin: 8, word: '+5V, leave open' })])
  })
  it('runs each wire from its pin to its pin', () => {
    expect(drawn.wires[0]?.path).toBe('M113 40C260 40 340 100 487 100')
  })
  it('tells striped from solid', () => {
    expect([striped('white/blue'), solidOf('white/blue'), striped('blue')]).toEqual([true, 'blue', false])
  })
})

describe('switches', () => {
  it('flip one and read back', () => {
    expect(flipped('uudd', 2)).toBe('uuud')
    expect(flipped(flipped('uudd', 0), 0)).toBe('uudd')
    expect(lettersOf([true, false])).toBe('ud')
  })
})
