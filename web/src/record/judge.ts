// The verdict on one reading: a gate and what the meter may be wrong, by the same rule as the server's
// (src/ewerer/core/record/judge.py), so that it is there without a network. The gate itself comes from the server.
import { tidy } from '../ui/figures'
import type { Meter, Verdict } from './types'

export interface Gate {
  low?: number | null
  high?: number | null
  zones?: { low?: number | null; high?: number | null; text: string; then?: string }[]
}
export interface Judged {
  verdict: Verdict
  text: string
  margin: number | null
}
export const meterError = (meter: Meter | null | undefined, reading: number): number =>
  meter ? ((meter.pct ?? 0) / 100) * Math.abs(reading) + (meter.digits ?? 0) * (meter.step ?? 0) : 0

/** `compared`: readings of one meter among themselves, so that only its last digits count. */
export function judgeGate(gate: Gate, reading: number, meter?: Meter | null, unit = '', compared = false): Judged {
  const u = meterError(meter, compared ? 0 : reading)
  const low = gate.low ?? -Infinity
  const high = gate.high ?? Infinity
  const slack = 1e-9 * Math.max(1, Math.abs(reading))
  const margin = Math.min(reading - low, high - reading)
  const told = Number.isFinite(margin) ? Math.round(margin * 1e6) / 1e6 : null
  if (margin >= -slack) {
    if (meter && u > 0 && 2 * u > high - low + slack)
      return {
        verdict: 'unsure',
        text: `Cannot tell with this meter: it may be wrong by ${tidy(u, 3)} ${unit}, the gate is ${tidy(high - low, 3)} wide`.trim(),
        margin: told,
      }
    return { verdict: 'pass', text: 'Good', margin: told }
  }
  if (u > 0 && -margin <= u + slack)
    return {
      verdict: 'unsure',
      text: `Cannot tell with this meter: outside by ${tidy(-margin, 3)} ${unit}, and it may be wrong by ${tidy(u, 3)}`.trim(),
      margin: told,
    }
  for (const z of gate.zones ?? [])
    if ((z.low == null || reading >= z.low - slack) && (z.high == null || reading <= z.high + slack))
      return { verdict: 'fail', text: `${z.text}. ${z.then ?? ''}`.trim(), margin: told }
  const side = gate.low != null && reading < low ? `${tidy(low, 3)} at least` : `${tidy(high, 3)} at most`
  return { verdict: 'fail', text: `Not good: ${side}`, margin: told }
}

/** Whether two displayed texts say the same: case and blanks aside, numbers by their value. */
export function sameText(a: string, b: string): boolean {
  const [x, y] = [a, b].map((t) => t.trim().split(/\s+/).join(' ').toLowerCase().replace(/,/g, '.')) as [string, string]
  if (x === y) return true
  const number = /^[-+]?(\d+\.?\d*|\.\d+)$/
  return number.test(x) && number.test(y) && Number(x) === Number(y)
}
