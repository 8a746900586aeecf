// Numbers as people type them, made into a field's own unit; what could be two numbers is asked, not guessed. The twin of
// core/trade/numbers.py over the same units.json: one table of cases holds the two together.
import data from '../../../src/ewerer/core/trade/units.json'

const KINDS = data.kinds as unknown as Record<string, Record<string, number>>
const SPELLED = data.spelled as Record<string, string>
const CAPITALS = new Set(data.capitals)
const MOST_CHARACTERS = 40
const MOST_EXPONENT = 12

/** What a text says: a value in the field's unit; the values it could be; or why it is refused. None of them: nothing typed. */
export interface Reading {
  value?: number
  ask?: number[]
  refused?: string
}
export interface Wanted {
  whole?: boolean
  /** Only settle what could be two figures. */
  low?: number | null
  high?: number | null
  /** Whose decimal sign. */
  mark?: '.' | ','
}

export const gaugeMm2 = (gauge: number): number => (Math.PI / 4) * (0.127 * 92 ** ((36 - gauge) / 39)) ** 2
const rounded = (value: number): number => Number(value.toPrecision(12))

export function readNumber(text: string, unit = '', wanted: Wanted = {}): Reading {
  let plain = plainOf(text)
  if (!plain) return {}
  if (plain.length > MOST_CHARACTERS) return { refused: `a number of at most ${MOST_CHARACTERS} characters is read` }
  if (unit === 'mm²') {
    const gauge = gaugeOf(plain)
    if (gauge !== undefined) return { value: Number(gaugeMm2(gauge).toPrecision(4)) }
  }
  const time = KINDS.time ?? {}
  if (unit in time) {
    const clock = /^([0-9]{1,3}) ?h ?([0-5]?[0-9])(?: ?(?:min|m|'))?$/i.exec(plain)
    if (clock) return settled(rounded((Number(clock[1]) * 3600 + Number(clock[2]) * 60) / (time[unit] as number)), !!wanted.whole)
    plain = plain.replace(/([0-9]) ?'$/, '$1 min')
  }
  const found = /^([+-]?) ?((?:[0-9][0-9 '.,]*|[.,][0-9]+)(?:[eE][+-]?[0-9]+)?)(.*)$/s.exec(plain)
  if (!found) return { refused: whyNot(plain) }
  const sign = found[1] ?? ''
  let body = (found[2] ?? '').trim()
  const rest = (found[3] ?? '').trim()
  let exponent = 0
  const split = /[eE]([+-]?[0-9]+)$/.exec(body)
  if (split) {
    exponent = Number(split[1])
    body = body.slice(0, split.index).trim()
    if (Math.abs(exponent) > MOST_EXPONENT) return { refused: 'a number that large or small is not a figure of this work' }
  }
  const scale = scaleOf(rest, unit)
  if (typeof scale === 'string') return { refused: scale }
  const readings = bodies(body, wanted.mark ?? '.', !!rest)
  if (!readings.length) return { refused: 'group digits by threes, and write one decimal sign: 1 200.5' }
  let values = [...new Set(readings.map((d) => rounded((Number(`${sign}${d}e${exponent}`) - scale[1]) * scale[0])))]
  const { low, high, whole } = wanted
  if (values.length > 1) {
    const fitting = values.filter(
      (v) => (low == null || v >= low) && (high == null || v <= high) && (!whole || Number.isInteger(v)),
    )
    if (fitting.length === 1) values = fitting
  }
  const first = values[0] as number
  if (unit === '%' && !rest && values.length === 1 && first > 0 && first < 1) values = [rounded(first * 100), first]
  if (values.length > 1) return { ask: values }
  return settled(first, !!whole)
}

const settled = (value: number, whole: boolean): Reading =>
  whole && !Number.isInteger(value) ? { refused: 'a whole number is needed' } : { value }

const plainOf = (text: string): string =>
  text
    .replace(/[\u00a0\u2000-\u200a\u202f\t ]+/g, ' ')
    .replace(/[\u2212\u2013]/g, '-')
    .replace(/\u00ba/g, '\u00b0')
    .replace(/\u2019/g, "'")
    .replace(/\u03bc/g, '\u00b5')
    .replace(/\u2126/g, '\u03a9')
    .replace(/^[ \r\n]+|[ \r\n]+$/g, '')

function gaugeOf(plain: string): number | undefined {
  const naught = /^(?:awg ?)?([1-4])\/0(?: ?awg)?$/i.exec(plain)
  if (naught) return 1 - Number(naught[1])
  const naughts = /^(?:awg ?(0{1,4})|(0{1,4}) ?awg)$/i.exec(plain)
  if (naughts) return 1 - (naughts[1] ?? naughts[2] ?? '').length
  const found = /^(?:awg ?([0-9]{1,2})|([0-9]{1,2}) ?awg)$/i.exec(plain)
  if (!found) return undefined
  const gauge = Number(found[1] ?? found[2])
  return gauge <= 40 ? gauge : undefined
}

function whyNot(plain: string): string {
  if (/[½¼¾⅓⅔⅛]|[0-9]\/[0-9]/.test(plain)) return 'write a part with a decimal sign: 0.5'
  if (/^[~≈<>]/.test(plain)) return 'write the figure alone'
  if (!/[0-9]/.test(plain)) return 'this is not a number'
  return 'this is not one number; write digits, a decimal sign and a unit'
}

const numeral = (whole: string, part: string): string => (part ? `${whole || '0'}.${part}` : whole || '0')
const grouped = (text: string, sign: string): boolean => {
  const [first = '', ...others] = text.split(sign)
  return /^[0-9]{1,3}$/.test(first) && others.every((g) => /^[0-9]{3}$/.test(g))
}

/** The plain numerals that a text of digits and signs can stand for; none where it stands for none. */
function bodies(text: string, mark: '.' | ',', named: boolean): string[] {
  const points = text.split('.').length - 1
  const commas = text.split(',').length - 1
  const last = Math.max(text.lastIndexOf('.'), text.lastIndexOf(','))
  for (const gap of [' ', "'"]) {
    if (!text.includes(gap)) continue
    const whole = last < 0 ? text : text.slice(0, last)
    const part = last < 0 ? '' : text.slice(last + 1)
    if (part.includes(gap) || !grouped(whole, gap) || (points && commas)) return []
    return [numeral(whole.split(gap).join(''), part)]
  }
  if (points && commas) {
    const decimal = text[last] as string
    const other = decimal === '.' ? ',' : '.'
    const whole = text.slice(0, last)
    if (whole.includes(decimal) || !grouped(whole, other)) return []
    return [numeral(whole.split(other).join(''), text.slice(last + 1))]
  }
  const sign = points ? '.' : ','
  if (points + commas === 0) return [text]
  if (points + commas > 1) return grouped(text, sign) ? [text.split(sign).join('')] : []
  const [whole = '', part = ''] = text.split(sign)
  const decimal = numeral(whole, part)
  if ((sign !== mark || (named && sign === '.' && part === '000')) && /^[1-9][0-9]{0,2}$/.test(whole) && part.length === 3)
    return [whole + part, decimal]
  return [decimal]
}

/** The factor and offset from a typed unit to the field's: (x - offset) * factor; words where it does not belong. */
function scaleOf(asTyped: string, unit: string): [number, number] | string {
  let typed = asTyped
  if (typed === '' || typed === unit) return [1, 0]
  if (typed.endsWith('.') && typed.length > 1) typed = typed.slice(0, -1)
  if (typed === '°' && (unit === '°C' || unit === '°F')) return [1, 0]
  const kinds = Object.values(KINDS).filter((units) => unit in units)
  if (CAPITALS.has(typed)) return `${typed} begins with mega; write m for milli`
  for (const units of kinds) {
    const found = unitIn(typed, units)
    if (found === undefined) continue
    if (found === '°F' && unit === '°C') return [1 / 1.8, 32]
    if (found === '°C' && unit === '°F') return [1.8, -32 / 1.8]
    return [(units[found] as number) / (units[unit] as number), 0]
  }
  if ((typed === 'k' || typed === 'K') && unit && !'kmµ%°'.includes(unit.charAt(0))) return [1000, 0]
  if (!unit) return `“${typed}” does not belong to this figure; write the number alone`
  const known = [...new Set(kinds.flatMap((units) => Object.keys(units)))]
  return `“${typed}” does not belong here; right would be ${(known.length ? known : [unit]).join(', ')}`
}

function unitIn(typed: string, units: Record<string, number>): string | undefined {
  if (typed in units) return typed
  const lower = typed.toLowerCase()
  const spelled = SPELLED[lower]
  if (spelled !== undefined && spelled in units) return spelled
  return Object.keys(units).find((name) => name.toLowerCase() === lower && !name.startsWith('M'))
}
