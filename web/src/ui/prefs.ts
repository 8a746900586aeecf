// How one person likes figures shown and typed. Documents hold SI units, ISO dates and a decimal point whatever is chosen here.
import { useLocalStorage } from '@vueuse/core'
import { gaugeMm2, readNumber, type Reading, type Wanted } from './numbers'

export interface Prefs {
  temperature: 'C' | 'F'
  length: 'm' | 'ft'
  section: 'mm2' | 'awg'
  mark: '.' | ','
  date: 'iso' | 'dmy' | 'mdy'
  currency: string
  shortcuts: boolean
}
export const USUAL: Prefs = {
  temperature: 'C',
  length: 'm',
  section: 'mm2',
  mark: '.',
  date: 'iso',
  currency: 'EUR',
  shortcuts: true,
}
export const prefs = useLocalStorage<Prefs>('ewerer:prefs', { ...USUAL }, { mergeDefaults: true })

/** The unit that a figure of `unit` is shown in. */
export function shownUnit(unit: string): string {
  if (unit === '°C' && prefs.value.temperature === 'F') return '°F'
  if (unit === 'm' && prefs.value.length === 'ft') return 'ft'
  if (unit === 'mm²' && prefs.value.section === 'awg') return 'AWG'
  return unit
}
const GAUGES = Array.from({ length: 44 }, (_, i) => 40 - i)
const gaugeWord = (gauge: number) => (gauge < 1 ? `${1 - gauge}/0` : String(gauge))
/** A numeral in the person's own decimal sign. */
export const marked = (plain: string): string => (prefs.value.mark === ',' ? plain.replace('.', ',') : plain)

/** A figure of `unit` as the text of a field: in the person's unit and decimal sign. */
export function shownFigure(value: number, unit: string, digits = 6): string {
  const seen = shownUnit(unit)
  if (seen === 'AWG') {
    const gauge = GAUGES.find((g) => Math.abs(gaugeMm2(g) / value - 1) < 0.015)
    return gauge === undefined ? `${marked(String(Number(value.toFixed(digits))))} mm²` : gaugeWord(gauge)
  }
  const there = seen === unit ? value : (readNumber(`${value} ${unit}`, seen).value ?? value)
  return marked(String(Number(there.toFixed(seen === unit ? digits : Math.min(digits, 2)))))
}
/** What was typed, in `unit`; a bare figure counts in the person's own unit. */
export function readFigure(text: string, unit: string, wanted: Wanted = {}): Reading {
  const own = { ...wanted, mark: prefs.value.mark }
  const seen = shownUnit(unit)
  if (seen === unit) return readNumber(text, unit, own)
  if (seen === 'AWG') {
    const plain = text.trim()
    return readNumber(/^\d{1,2}$/.test(plain) ? `${plain} AWG` : plain, unit, own)
  }
  const said = readNumber(text, seen, { whole: wanted.whole, mark: own.mark })
  const here = (v: number) => readNumber(`${v} ${seen}`, unit).value as number
  if (said.value !== undefined) return { value: here(said.value) }
  return said.ask ? { ask: said.ask.map(here) } : said
}
/** A figure with its unit, digits in threes: 12 000 W. */
export function spoken(value: number, unit: string): string {
  const [whole = '', part] = shownFigure(value, unit).split(/[.,]/)
  const groups = /^-?\d{5,}$/.test(whole) ? whole.replace(/\B(?=(\d{3})+$)/g, '\u202f') : whole
  return `${groups}${part ? prefs.value.mark + part : ''} ${/mm²$/.test(whole) ? '' : shownUnit(unit)}`.trim()
}
const FIGURES = /(-?\d+(?:\.\d+)?)(\s?)(°C|mm²|kWh|kW|kA|kV|mV|mΩ|Ω|Wh|Ah|V|A|W|%|m|h|min|s|C)(?![\p{L}\d²])/gu
/** A sentence of the server, its figures in the person's own units and decimal sign; versions, times and names stay. */
export function preferred(text: string): string {
  if (prefs.value.mark === '.' && prefs.value.temperature === 'C' && prefs.value.length === 'm' && prefs.value.section === 'mm2')
    return text
  return text.replace(FIGURES, (_, figure: string, gap: string, unit: string) =>
    shownUnit(unit) === unit ? `${marked(figure)}${gap}${unit}` : spoken(Number(figure), unit),
  )
}
const MONTHS = ['jan', 'feb', 'mar', 'apr', 'may', 'jun', 'jul', 'aug', 'sep', 'oct', 'nov', 'dec']
const two = (n: number) => String(n).padStart(2, '0')
/** 2026-11-27, 27.11.2026, 27 Nov 2026, Nov 27 2026, and 27/11/2026 in the person's own order -> 2026-11-27. Null: none, or it could be two. */
export function readDate(text: string): string | null {
  const plain = text.trim().toLowerCase().replace(/\s+/g, ' ')
  let found: RegExpExecArray | null
  let parts: [string, number, string] | null = null
  if ((found = /^(\d{4})[-/.](\d{1,2})[-/.](\d{1,2})$/.exec(plain))) parts = [found[1]!, Number(found[2]), found[3]!]
  else if ((found = /^(\d{1,2})\. ?(\d{1,2})\. ?(\d{4}|\d{2})$/.exec(plain))) parts = [found[3]!, Number(found[2]), found[1]!]
  else if ((found = /^(\d{1,2})(?:st|nd|rd|th|\.)? ([a-z]{3,9})\.?,? (\d{4})$/.exec(plain)))
    parts = [found[3]!, MONTHS.findIndex((m) => found![2]!.startsWith(m)) + 1, found[1]!]
  else if ((found = /^([a-z]{3,9})\.? (\d{1,2})(?:st|nd|rd|th)?,? (\d{4})$/.exec(plain)))
    parts = [found[3]!, MONTHS.findIndex((m) => found![1]!.startsWith(m)) + 1, found[2]!]
  else if ((found = /^(\d{1,2})[/-](\d{1,2})[/-](\d{4}|\d{2})$/.exec(plain))) {
    const [a, b] = [Number(found[1]), Number(found[2])]
    const order = a > 12 ? 'dmy' : b > 12 ? 'mdy' : prefs.value.date
    if (order === 'iso') return null
    parts = order === 'dmy' ? [found[3]!, b, String(a)] : [found[3]!, a, String(b)]
  }
  if (!parts) return null
  const [year, month, day] = [Number(parts[0].length === 2 ? `20${parts[0]}` : parts[0]), parts[1], Number(parts[2])]
  const at = new Date(Date.UTC(year, month - 1, day))
  return at.getUTCMonth() === month - 1 && at.getUTCDate() === day ? `${year}-${two(month)}-${two(day)}` : null
}
/** An ISO date as the person likes it. */
export function shownDate(iso: string): string {
  const found = /^(\d{4})-(\d\d)-(\d\d)$/.exec(iso)
  if (!found || prefs.value.date === 'iso') return iso
  const [, y, m, d] = found
  return prefs.value.date === 'dmy' ? `${d}.${m}.${y}` : `${m}/${d}/${y}`
}
