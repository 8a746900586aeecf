// Geometry of the ladder. Pure, so that it can be tested without a browser.

/** Positions as near as possible to `wanted` with at least `gap` between neighbours, within low..high; order is kept. */
export function spread(wanted: number[], gap: number, low: number, high: number): number[] {
  const n = wanted.length
  if (n === 0) return []
  const room = Math.min(gap, n > 1 ? (high - low) / (n - 1) : gap)
  const order = wanted.map((_, i) => i).sort((a, b) => (wanted[a] as number) - (wanted[b] as number) || a - b)
  // Pool neighbours that push each other, and centre every pool on its members' wishes.
  const pools: { from: number; to: number; start: number }[] = []
  for (let k = 0; k < n; k++) {
    pools.push({ from: k, to: k, start: wanted[order[k] as number] as number })
    for (;;) {
      const last = pools.at(-1) as (typeof pools)[number]
      const size = last.to - last.from
      let sum = 0
      for (let i = last.from; i <= last.to; i++) sum += (wanted[order[i] as number] as number) - (i - last.from) * room
      last.start = Math.min(Math.max(sum / (size + 1), low), high - size * room)
      const before = pools.at(-2)
      if (!before || before.start + (before.to - before.from + 1) * room <= last.start + 1e-9) break
      before.to = last.to
      pools.pop()
    }
  }
  const out: number[] = new Array(n)
  for (const pool of pools)
    for (let i = pool.from; i <= pool.to; i++) out[order[i] as number] = pool.start + (i - pool.from) * room
  return out
}

export interface Scale {
  y: (value: number) => number
  value: (y: number) => number
}
export function scaleOf(low: number, high: number, top: number, bottom: number): Scale {
  const k = (bottom - top) / (high - low)
  return { y: (v) => top + (high - v) * k, value: (y) => high - (y - top) / k }
}

/** The multiple of `step` nearest to `value`, free of binary dust. */
export const snap = (value: number, step: number, offset = 0): number =>
  Number((offset + Math.round((value - offset) / step) * step).toFixed(6))

const TONES: Record<string, string> = {
  absorb: 'copper',
  equalise: 'soft',
  float: 'bank',
  recharge: 'bank',
  return_bank: 'mains',
  to_mains: 'mains',
  gen_start: 'gen',
  gen_stop: 'gen',
  alarm: 'caution',
  shutdown: 'stop',
  restart: 'stop',
  unit_off: 'load',
}
export const toneOf = (quantity: string): string => `var(--${TONES[quantity.replace(/_(v|soc)$/, '')] ?? 'ink'})`

/** Axis marks between two values: whole steps of 1, 2, 5 … so that about `wanted` of them fit. */
export function ticks(low: number, high: number, wanted: number): number[] {
  const raw = (high - low) / wanted
  const power = 10 ** Math.floor(Math.log10(raw))
  const step = [1, 2, 5, 10].map((m) => m * power).find((s) => s >= raw) ?? 10 * power
  const out: number[] = []
  for (let v = Math.ceil(low / step) * step; v <= high + 1e-9; v += step) out.push(Number(v.toFixed(6)))
  return out
}
