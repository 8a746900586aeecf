// Proofs that a port can watch, as scripts: what a person is asked to do, what then shows, what is read of it. Pure, so that they can
// be tested without a cable.
import type { RunStep } from '../api/client'
import type { Live, LivePort, Reading } from './use-live'

/** What the ports told at one moment; times are milliseconds since 1970. */
export interface Sample {
  at: number
  bank: Record<string, number>
  unit: Record<string, number>
  /** When the inverter last gave a sign of life on the bus. */
  heard: number | null
  /** Whether the BMS is heard. */
  talks: boolean
}
export interface Phase {
  says: string
  /** Whether what the phase waits for has happened; `first` is the sample it began with, before the whole script. */
  holds: (now: Sample, first: Sample) => boolean
  /** Readings of the step's questions, by name. */
  reads?: (now: Sample) => Record<string, number | string>
  /** What the time since the phase before is the time of. */
  times?: string
  /** The test has changed something, or has put it back. */
  turn?: 'changed' | 'back'
}

const fresh = (values: Record<string, Reading>): Record<string, number> =>
  Object.fromEntries(Object.entries(values).flatMap(([n, r]) => (r.old || typeof r.value !== 'number' ? [] : [[n, r.value]])))
export function sampleOf(live: Live | undefined, host: string, now: number): Sample | null {
  const replayed = live?.ports.find((p) => p.kind === 'replay' && p.device === 'bank')
  const bank = replayed ?? live?.ports.find((p) => p.kind === 'can') ?? live?.ports.find((p) => p.device === 'bank')
  const unit =
    live?.ports.find((p) => p.kind === 'replay' && p.device === host) ??
    live?.ports.find((p) => p.device === host && p.map) ??
    live?.ports.find((p) => p.device === host)
  if (!bank || !unit) return null
  const age = (bank as LivePort).unit_heard_s
  return {
    at: now,
    bank: fresh(bank.values),
    unit: fresh(unit.values),
    heard: age === null || age === undefined ? null : now - age * 1000,
    talks: bank.state === 'open',
  }
}

const SAME: Record<string, string> = {
  volts: 'volts',
  temp: 'temp_c',
  soc: 'soc_pct',
  soh: 'soh_pct',
  asked: 'charge_v',
  charge: 'charge_a',
  discharge: 'discharge_a',
}
const SILENT_MS = 2500
const near = (a: number | undefined, b: number | undefined) => a !== undefined && b !== undefined && Math.abs(a - b) < 0.6
const limits = (s: Sample) => [s.bank.charge_a, s.bank.discharge_a]
const asFirst = (now: Sample, first: Sample) => limits(now).every((v, i) => near(v, limits(first)[i])) && now.talks
const moved = (now: Sample, first: Sample) => now.talks && !asFirst(now, first)
const alive = (s: Sample) => s.heard !== null && s.at - s.heard < SILENT_MS
const shows = (s: Sample) => (s.unit.charge_v ?? 0) > 0

function same(step: RunStep): Phase[] {
  return [
    {
      says: 'Both sides are read at the same time.',
      holds: (s) => Object.keys(s.bank).length > 0 && Object.keys(s.unit).length > 0,
      reads: (s) =>
        Object.fromEntries(
          (step.asks ?? []).flatMap((a) => {
            const [side, name] = a.name.split('.') as [string, string]
            const value = (side === 'bms' ? s.bank : s.unit)[SAME[name] ?? '']
            return value === undefined ? [] : [[a.name, value]]
          }),
        ),
    },
  ]
}

function withoutOne(step: RunStep): Phase[] {
  const cases = new Map<string, string>()
  for (const a of step.asks ?? []) cases.set(a.name.split('.')[0] as string, a.row ?? '')
  const out: Phase[] = []
  for (const [name, word] of cases) {
    const nothing = (step.asks ?? []).some((a) => a.name === `${name}.nothing`)
    out.push(
      nothing
        ? {
            says: `Now: ${word}. Nothing must be shown.`,
            holds: (s) => !s.talks || !alive(s),
            reads: () => ({ [`${name}.nothing`]: 'yes' }),
            times: word,
            turn: 'changed',
          }
        : {
            says: `Now: ${word}. The limits must change.`,
            holds: moved,
            reads: (s) => ({
              ...(s.bank.charge_a === undefined ? {} : { [`${name}.charge`]: s.bank.charge_a }),
              ...(s.bank.discharge_a === undefined ? {} : { [`${name}.discharge`]: s.bank.discharge_a }),
            }),
            times: word,
            turn: 'changed',
          },
      {
        says: 'Put it back; the limits must be as before.',
        holds: (s, first) => asFirst(s, first) && (!nothing || alive(s)),
        times: 'back',
        turn: 'back',
      },
    )
  }
  return out
}

function linkLoss(step: RunStep): Phase[] {
  const did = step.asks?.find((a) => a.name === 'did')
  return [
    { says: 'Pull the link cable at the inverter now.', holds: (s) => !alive(s), times: 'no sign of life', turn: 'changed' },
    {
      says: `Wait: the inverter must notice within about ${Math.round(step.wait_s || 30)} s.`,
      holds: (s) => !shows(s),
      times: 'the link counts as lost',
      reads: (s) => {
        const stopped = (s.unit.unit_charge_a ?? 0) < 0.5 && (s.unit.output_on ?? 1) === 0
        const out: Record<string, string> = {}
        if (did) out.did = (stopped ? did.choices?.[0] : did.choices?.[1]) ?? ''
        return out
      },
    },
    {
      says: 'Plug it in again; the page must show by itself.',
      holds: (s) => alive(s) && shows(s),
      times: 'shown again',
      turn: 'back',
    },
  ]
}

const SCRIPTS: Record<string, (step: RunStep) => Phase[]> = {
  'proof:same': same,
  'proof:without-one': withoutOne,
  'proof:link-loss': linkLoss,
}
/** The script of a step, none where a port cannot watch it. */
export const scriptOf = (step: RunStep): Phase[] => SCRIPTS[step.id]?.(step) ?? []
/** A phase counts when it holds in two samples one after the other: what only flickers has not happened. */
export const TWICE = 2
