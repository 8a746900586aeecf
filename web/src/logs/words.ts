// How a log's times, stretches and figures are written.
import type { LogReport } from '../api/client'
import { MONTHS, tidy } from '../ui/figures'

const two = (n: number) => String(n).padStart(2, '0')
/** The file's own clock at a second; long stretches show the day, short ones the second. */
export function clockAt(report: LogReport, second: number, span: number): string {
  const at = new Date(`${report.from}Z`)
  at.setTime(at.getTime() + second * 1000)
  const day = `${at.getUTCDate()} ${MONTHS[at.getUTCMonth()]}`
  const time = `${two(at.getUTCHours())}:${two(at.getUTCMinutes())}`
  if (span > 3 * 86400) return day
  if (span > 7200) return `${day} ${time}`
  return `${time}:${two(at.getUTCSeconds())}`
}
export function spanWord(seconds: number): string {
  if (seconds >= 2 * 86400) return `${tidy(seconds / 86400, 1)} days`
  if (seconds >= 7200) return `${tidy(seconds / 3600, 1)} h`
  if (seconds >= 120) return `${tidy(seconds / 60, 0)} min`
  return `${tidy(seconds, 0)} s`
}
export const FIGURES: Record<string, [string, string, number]> = {
  absorb_v: ['Absorption voltage', 'V', 2],
  overshoot_v: ['Overshoot', 'V', 2],
  hold_min: ['Longest hold', 'min', 1],
  c_rate: ['Highest C-rate, in or out', 'C', 2],
  tail_a: ['Current at its end', 'A', 1],
  float_v: ['Float voltage', 'V', 2],
  full_at: ['Last full at', '', 0],
  resistance_mohm: ['Path resistance', 'mΩ', 2],
  shunt_gain: ['Current sensor: gain', '', 3],
  shunt_zero_a: ['Current sensor: zero offset', 'A', 2],
  self_use_w: ['Units’ own use', 'W', 0],
  transfers: ['Transfers to the mains', '', 0],
  transfers_per_night: ['Transfers a night', '', 1],
  generator_starts: ['Generator starts', '', 0],
  generator_h: ['Generator hours', 'h', 1],
  lowest_v: ['Lowest voltage', 'V', 2],
  highest_v: ['Highest voltage', 'V', 2],
  lowest_soc: ['Lowest charge', '%', 0],
}
export function figureShown(name: string, figure: { value: number | string; error: number | null }): string {
  const [, unit, digits] = FIGURES[name] ?? [name, '', 3]
  if (typeof figure.value === 'string') return figure.value.slice(0, 16).replace('T', ' ')
  const scale = name === 'lowest_soc' ? 100 : 1
  const error = figure.error ? ` ± ${tidy(figure.error * scale, digits + 1)}` : ''
  return `${tidy(figure.value * scale, digits)}${error} ${unit}`.trim()
}
