// Geometry and edits of the day ribbon. Pure. Times are minutes from midnight; no rule of the trade is here.
export const DAY = 1440
export const DAYS = ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun']

export interface Win {
  days?: string
  from: string
  to: string
  action: string
  target_soc?: number
  power_w?: number
  season?: string
  from_date?: string
  to_date?: string
}
export interface Season {
  name: string
  from: string
  to: string
  tariff?: unknown
}
/** Whether a day of the year (MM-DD) lies between two, both within; the stretch may lie over the new year. */
export const covers = (first: string, last: string, day: string): boolean =>
  first <= last ? first <= day && day <= last : day >= first || day <= last
/** The first date from one on that lies in a part of the year. */
export function firstIn(start: string, part: { from_date: string; to_date: string } | undefined): string {
  const at = new Date(start + 'T00:00:00Z')
  if (!part || Number.isNaN(at.getTime())) return start
  for (let k = 0; k < 367; k++) {
    const iso = at.toISOString().slice(0, 10)
    if (covers(part.from_date, part.to_date, iso.slice(5))) return iso
    at.setUTCDate(at.getUTCDate() + 1)
  }
  return start
}
export const minutes = (time: string): number => Number(time.slice(0, 2)) * 60 + Number(time.slice(3))
export const clock = (m: number): string => {
  const t = Math.round(m)
  if (t === DAY) return '24:00'
  const w = ((t % DAY) + DAY) % DAY
  return `${String(Math.floor(w / 60)).padStart(2, '0')}:${String(w % 60).padStart(2, '0')}`
}

/** Whether a window is kept on a weekday (0 Monday). */
export function onDay(days: string | undefined, day: number): boolean {
  if (!days || days === 'all') return true
  return days.split(',').some((part) => {
    const [a, b] = part.split('-')
    const from = DAYS.indexOf(a ?? '')
    const to = DAYS.indexOf(b ?? a ?? '')
    return from <= to ? day >= from && day <= to : day >= from || day <= to
  })
}

export interface Piece {
  index: number
  from: number
  to: number
  /** Which part of a window over midnight this is. */
  part: 'whole' | 'evening' | 'morning'
}
/** The pieces of the windows on one weekday; one over midnight is split, its morning lies on the next day. */
export function pieces(windows: Win[], day: number, held?: number[]): Piece[] {
  return windows.flatMap((w, index) => {
    if (held && !held.includes(index)) return []
    const a = minutes(w.from)
    const b = minutes(w.to)
    if (a === b) return []
    if (a < b) return onDay(w.days, day) ? [{ index, from: a, to: b, part: 'whole' as const }] : []
    const out: Piece[] = []
    if (onDay(w.days, day)) out.push({ index, from: a, to: DAY, part: 'evening' })
    if (b > 0 && onDay(w.days, (day + 6) % 7)) out.push({ index, from: 0, to: b, part: 'morning' })
    return out
  })
}

/** A window moved or stretched by minutes, on a grid of steps; it may go over midnight, and is never empty. */
export function moved(w: Win, by: number, grip: 'all' | 'from' | 'to', step: number): Win {
  const snap = (m: number) => Math.round(m / step) * step
  const wrap = (m: number) => ((m % DAY) + DAY) % DAY
  const a = minutes(w.from)
  let length = minutes(w.to) - a
  if (length <= 0) length += DAY
  let start = a
  if (grip === 'all') start = snap(a + by)
  else if (grip === 'from') {
    start = Math.min(snap(a + by), a + length - step)
    length = a + length - start
  } else length = Math.max(step, snap(a + length + by) - a)
  length = Math.min(length, DAY - step)
  const end = start + length
  const to = end === DAY ? '24:00' : clock(wrap(end))
  return { ...w, from: clock(wrap(start)), to }
}

export const xOf = (minute: number, width: number): number => (minute / DAY) * width
/** Colour token of an action. */
export const toneOf = (action: string): string =>
  `var(--${{ charge: 'mains', hold: 'load', use: 'bank', export: 'sun' }[action] ?? 'soft'})`
