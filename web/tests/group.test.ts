import { expect, it } from 'vitest'
import { drawGroup } from '../src/stages/units/group'

const PHASES = ['L1', 'L2', 'L3']
/** A group drawn by dice: units on phases, chargers and a controller beside them, a bank that speaks. */
function drawn(seed: number) {
  let s = seed * 7919 + 13
  const dice = (n: number) => (s = (s * 1103515245 + 12345) % 2147483648) % n
  const lanes = 1 + dice(3)
  const many = 1 + dice(9)
  const whole = dice(3) === 0
  const places = Array.from({ length: many }, (_, i) => ({
    unit: `U${i}`,
    name: 'Box',
    phases: whole ? PHASES.slice(0, lanes) : [PHASES[i % lanes] as string],
    number: whole ? i + 1 : Math.floor(i / lanes) + 1,
    role: i ? 'follower' : 'host',
    own_sun_a: 0,
  }))
  const beside = Array.from({ length: dice(4) }, (_, i) => ({
    id: `S${i}`,
    name: 'Sun',
    kind: 'sun-charger',
    role: i ? 'follower' : 'host',
  }))
  const lines = [
    { from: 'M1', to: 'U0', kind: 'bms', label: 'A to B' },
    ...places.slice(1).map((p, i) => ({ from: `U${i}`, to: p.unit, kind: 'group', label: '' })),
    ...beside.slice(0, 1).map((b) => ({ from: 'M1', to: b.id, kind: 'bms', label: 'C to D' })),
  ]
  return { places, beside, lines, speaker: 'M1', start: [places.map((p) => p.unit)], start_why: 'any' }
}

it.each(Array.from({ length: 40 }, (_, i) => i))('keeps every box apart and inside the drawing (%i)', (seed) => {
  const group = drawn(seed)
  const made = drawGroup(group)
  expect(made.boxes).toHaveLength(group.places.length + group.beside.length + 1)
  for (const [i, a] of made.boxes.entries()) {
    expect(a.x).toBeGreaterThanOrEqual(0)
    expect(a.x + a.width).toBeLessThanOrEqual(made.width)
    expect(a.y + a.height).toBeLessThanOrEqual(made.height)
    for (const b of made.boxes.slice(i + 1))
      expect(a.x + a.width <= b.x || b.x + b.width <= a.x || a.y + a.height <= b.y || b.y + b.height <= a.y).toBe(true)
  }
  expect(made.lines).toHaveLength(group.lines.length)
  expect(made.notes.map((n) => n.text)).toContain('to U0: A to B')
  for (const p of group.places) expect(made.said).toContain(`${p.unit}, ${p.role}`)
})

it('stands a unit in the lane of its phase', () => {
  const made = drawGroup(drawn(4))
  for (const box of made.boxes.filter((b) => b.kind === 'unit')) {
    const lane = made.lanes.find((l) => box.x >= l.x && box.x < l.x + l.width)
    expect(lane).toBeDefined()
  }
})
