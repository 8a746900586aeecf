import { describe, expect, it } from 'vitest'
import { sampleOf, scriptOf, type Phase, type Sample } from '../src/live/watch'
import type { RunStep } from '../src/api/client'
import type { Live } from '../src/live/use-live'

const ask = (name: string, row = '') => ({
  name,
  row,
  kind: 'figure',
  choices: ['it stops', 'it carries on with its own settings', 'it notices nothing'],
})
const step = (id: string, asks: object[], more: object = {}) => ({ id, asks, ...more }) as unknown as RunStep
const sample = (charge: number, discharge: number, more: Partial<Sample> = {}): Sample => ({
  at: 100_000,
  bank: { charge_a: charge, discharge_a: discharge, volts: 53 },
  unit: { charge_a: charge, discharge_a: discharge, charge_v: 56, unit_charge_a: 20, output_on: 1 },
  heard: 99_500,
  talks: true,
  ...more,
})
/** Run a script over samples as the component does: a phase counts when it holds in two of them. */
function run(phases: Phase[], samples: Sample[]) {
  const read: Record<string, number | string> = {}
  let at = 0
  let held = 0
  for (const s of samples) {
    const phase = phases[at]
    if (!phase) break
    held = phase.holds(s, samples[0] as Sample) ? held + 1 : 0
    if (held < 2) continue
    Object.assign(read, phase.reads?.(s))
    held = 0
    at++
  }
  return { at, read }
}
const twice = (...all: Sample[]) => all.flatMap((s) => [s, s])

describe('proofs that ports watch', () => {
  it('reads both sides, each by its own names, and leaves out what nobody tells', () => {
    const script = scriptOf(step('proof:same', [ask('bms.charge'), ask('unit.charge'), ask('bms.soh'), ask('unit.asked')]))
    expect(run(script, twice(sample(399, 570))).read).toEqual({ 'bms.charge': 399, 'unit.charge': 399, 'unit.asked': 56 })
  })
  it('sees each part taken out and put back, in any size of change, and is not fooled by a flicker', () => {
    const script = scriptOf(
      step('proof:without-one', [
        ask('charge-off.charge', 'one charging off'),
        ask('charge-off.discharge', 'one charging off'),
        ask('cable-out.nothing', 'cable out'),
      ]),
    )
    expect(script.length).toBe(4)
    const all = sample(399, 570)
    const less = sample(266, 570)
    const silent = { ...all, heard: 90_000 }
    const told = run(script, [all, less, all, ...twice(less, all, silent, all)])
    expect(told).toEqual({ at: 4, read: { 'charge-off.charge': 266, 'charge-off.discharge': 570, 'cable-out.nothing': 'yes' } })
    expect(run(script, [all, less, all, less, all]).at).toBe(0)
  })
  it('tells what the inverter does when the link is lost', () => {
    const script = scriptOf(step('proof:link-loss', [ask('did')], { wait_s: 30 }))
    const all = sample(399, 570)
    const out = { ...all, heard: 90_000 }
    const lost = (unit: object) => ({ ...out, unit: { ...out.unit, charge_v: 0, ...unit } })
    expect(run(script, twice(all, out, lost({}), all))).toEqual({ at: 3, read: { did: 'it carries on with its own settings' } })
    expect(run(script, twice(all, out, lost({ unit_charge_a: 0, output_on: 0 }), all)).read).toEqual({ did: 'it stops' })
  })
  it('has no script for what no port can see', () => {
    expect(scriptOf(step('proof:resistance', []))).toEqual([])
  })
  it('makes a sample of the ports: old values are left out, nobody heard is nobody', () => {
    const port = (kind: string, device: string, map: boolean, values: object, more: object = {}) => ({
      kind,
      device,
      map,
      values,
      state: 'open',
      ...more,
    })
    const live = {
      ports: [
        port(
          'can',
          'bank',
          false,
          { volts: { value: 53, age_s: 0, old: false }, amps: { value: 1, age_s: 9, old: true } },
          { unit_heard_s: 0.4 },
        ),
        port('modbus-tcp', 'U1', true, { charge_v: { value: 56, age_s: 0, old: false } }),
      ],
    } as unknown as Live
    expect(sampleOf(live, 'U1', 10_000)).toEqual({
      at: 10_000,
      bank: { volts: 53 },
      unit: { charge_v: 56 },
      heard: 9600,
      talks: true,
    })
    expect(sampleOf({ ports: [] } as unknown as Live, 'U1', 1)).toBeNull()
    expect(sampleOf(undefined, 'U1', 1)).toBeNull()
  })
})
