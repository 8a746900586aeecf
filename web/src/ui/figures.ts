// Numbers as people read them. No rule of the trade is here.
export const tidy = (value: number, digits = 4): string => String(Number(value.toFixed(digits)))
export const amps = (a: number | null | undefined): string =>
  a === null || a === undefined ? 'none' : `${tidy(a, a < 100 ? 1 : 0)} A`
export const percent = (f: number | null | undefined): string =>
  f === null || f === undefined ? '' : `${tidy(f * 100, f < 0.1 ? 1 : 0)} %`
const two = (n: number) => String(n).padStart(2, '0')
export const MONTHS = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec']
const timeOf = (at: Date) => `${two(at.getHours())}:${two(at.getMinutes())}`
const dayOf = (at: Date) => `${at.getDate()} ${MONTHS[at.getMonth()]} ${at.getFullYear()}`
/** The time of what was today, else the day. */
export const when = (iso: string): string => {
  const at = new Date(iso)
  return at.toDateString() === new Date().toDateString() ? timeOf(at) : dayOf(at)
}
/** Date and time as on a job sheet: 25 Nov 2026, 14:05. */
export const moment = (iso: string): string => `${dayOf(new Date(iso))}, ${timeOf(new Date(iso))}`
/** Today as a date is written in documents. */
export const today = (): string => new Date().toISOString().slice(0, 10)
/** Names that must fit a narrow place: all of up to three, else the first and how many more. */
export const inBrief = (names: string[]): string =>
  names.length <= 3 && names.join(' ').length <= 11 ? names.join(' ') : `${names[0]} +${names.length - 1}`
