// Times, days of the week and days of the year as people type them, made into what a document says. Null: not understood.
const DAYS = ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun']
const MONTHS = ['jan', 'feb', 'mar', 'apr', 'may', 'jun', 'jul', 'aug', 'sep', 'oct', 'nov', 'dec']
const two = (n: number) => String(n).padStart(2, '0')

/** 7, 7:30, 7.30, 7h30, 730, 0730, 7 pm, 7:30pm, noon, midnight, 24:00 -> HH:MM. */
export function readTime(text: string): string | null {
  const plain = text.trim().toLowerCase().replace(/\s+/g, ' ')
  if (plain === 'noon' || plain === 'midday') return '12:00'
  if (plain === 'midnight') return '00:00'
  const found = /^(\d{1,2})(?: ?[:.h] ?(\d{2})?|(\d{2}))?(?: ?o'?clock| ?uhr| ?h)? ?([ap])?\.?(?:m\.?)?$/.exec(plain)
  if (!found) return null
  let hour = Number(found[1])
  const minute = Number(found[2] ?? found[3] ?? 0)
  const half = found[4]
  if (half) {
    if (hour < 1 || hour > 12) return null
    hour = (hour % 12) + (half === 'p' ? 12 : 0)
  }
  if (minute > 59 || hour > 24 || (hour === 24 && minute)) return null
  return `${two(hour)}:${two(minute)}`
}

function dayOf(word: string): number {
  const at = DAYS.findIndex((d) => word.startsWith(d) || (word.length === 2 && d.startsWith(word)))
  const full = ['monday', 'tuesday', 'wednesday', 'thursday', 'friday', 'saturday', 'sunday'][at]
  return full && (full.startsWith(word.replace(/s$/, '')) || ['tues', 'thur', 'thurs'].includes(word)) ? at : -1
}

/** every day, weekdays, weekend, Mon-Fri, monday to friday, Sa + Su, mon wed fri -> all, mon-fri, sat,sun. */
export function readDays(text: string): string | null {
  const plain = text.trim().toLowerCase().replace(/[.]/g, '').replace(/\s+/g, ' ')
  if (['all', 'every day', 'everyday', 'daily', 'any', 'any day', 'all days', 'all week', 'always'].includes(plain)) return 'all'
  const words = plain
    .replace(/\b(weekdays?|workdays?|working days|week days)\b/g, 'mon-fri')
    .replace(/\b(weekends?|week end)\b/g, 'sat,sun')
    .replace(/\s*(?:–|—|-|\bto\b|\btill?\b|\buntil\b|\bthrough\b)\s*/g, '-')
  const out: string[] = []
  for (const part of words.split(/\s*(?:,|;|\/|\+|&|\band\b)\s*|\s+/).filter(Boolean)) {
    const ends = part.split('-').map(dayOf)
    if (ends.length > 2 || ends.some((d) => d < 0)) return null
    out.push(ends.map((d) => DAYS[d]).join('-'))
  }
  if (!out.length) return null
  return out.join(',') === 'mon-sun' ? 'all' : out.join(',')
}

/** 04-01, 1 Apr, April 1st, 1.4. -> 04-01. */
export function readYearDay(text: string): string | null {
  const plain = text.trim().toLowerCase().replace(/\s+/g, ' ')
  let month = 0
  let day = 0
  const iso = /^(\d{1,2})-(\d{1,2})$/.exec(plain)
  const dotted = /^(\d{1,2})\. ?(\d{1,2})\.?$/.exec(plain)
  const named = /^(?:(\d{1,2})(?:st|nd|rd|th|\.)? ?)?([a-z]{3,9})\.?(?: (\d{1,2})(?:st|nd|rd|th|\.)?)?$/.exec(plain)
  if (iso) [month, day] = [Number(iso[1]), Number(iso[2])]
  else if (dotted) [day, month] = [Number(dotted[1]), Number(dotted[2])]
  else if (named && !!named[1] !== !!named[3]) {
    month = MONTHS.findIndex((m) => (named[2] as string).startsWith(m)) + 1
    day = Number(named[1] ?? named[3])
  }
  const at = new Date(Date.UTC(2024, month - 1, day))
  return month && day && at.getUTCMonth() === month - 1 && at.getUTCDate() === day ? `${two(month)}-${two(day)}` : null
}

/** What a typed text means at a place of the job; the text itself where it needs no reading or is not understood. */
export function asMeant(path: string, text: string): string {
  if (/^\/seasons\/\d+\/(from|to)$|\/(from|to)_date$/.test(path)) return readYearDay(text) ?? text
  if (/\/(from|to|quiet_from|quiet_to)$/.test(path)) return readTime(text) ?? text
  if (/\/days$/.test(path)) return readDays(text) ?? text
  return text
}
