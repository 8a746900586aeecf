// Rows of a spreadsheet, pasted into a list of the job: columns are found by their names, rows by their id. A list whose rows have no
// id is replaced.
import { wordsAt } from '../job/words'
import { readFigure, spoken } from './prefs'
import { counted } from './words'

export interface Column {
  field: string
  word: string
  unit: string
  /** Text, figure, or one of the choices. */
  kind: 'text' | 'figure' | 'choice'
  choices: { value: string | number; word: string }[]
}
export interface Refused {
  row: number
  column: string
  text: string
  why: string
}
export interface Read {
  /** The list as it would be: rows with an id that were there keep what was not pasted. */
  list: Record<string, unknown>[]
  changed: number
  added: number
  unknown: string[]
  refused: Refused[]
  /** What is wrong with the whole; empty where it can be read. */
  failure: string
}

/** The columns that a list takes, with the words of their fields. */
export function columnsOf(list: string, fields: readonly string[], texts: readonly string[]): Column[] {
  return fields.map((field) => {
    const words = wordsAt(`${list}/0/${field}`)
    const choices = words?.choices ?? []
    return {
      field,
      word: words?.label ?? field,
      unit: words?.unit ?? '',
      kind: choices.length ? 'choice' : texts.includes(field) ? 'text' : 'figure',
      choices: choices as Column['choices'],
    }
  })
}

const plain = (text: string) =>
  text
    .toLowerCase()
    .replace(/[[(].*?[\])]/g, '')
    .replace(/[^\p{L}\p{N}]+/gu, ' ')
    .trim()

/** One cell as the job stores it; undefined where it is empty. */
export function readCell(list: string, column: Column, text: string): { value?: unknown; why?: string } {
  const cell = text.trim()
  if (!cell) return {}
  if (column.kind === 'text') return { value: /^\d:\d\d$/.test(cell) ? `0${cell}` : cell }
  if (column.kind === 'choice') {
    const found = column.choices.find(
      (c) => plain(c.word) === plain(cell) || String(c.value).toLowerCase() === cell.toLowerCase(),
    )
    return found ? { value: found.value } : { why: `right would be one of ${column.choices.map((c) => c.word).join(', ')}` }
  }
  const words = wordsAt(`${list}/0/${column.field}`)
  const scale = words?.scale ?? 1
  const bound = (v: number | null | undefined) => (v == null ? null : v * scale)
  const said = readFigure(cell, column.unit, { whole: words?.whole, low: bound(words?.low), high: bound(words?.high) })
  if (said.ask) return { why: `say which: ${said.ask.map((v) => spoken(v, column.unit)).join(' or ')}` }
  if (said.value === undefined)
    return { why: said.refused ?? `right would be a figure${column.unit ? ` in ${column.unit}` : ''}` }
  const value = Number((said.value / scale).toPrecision(12))
  if (words?.low != null && value < words.low) return { why: `right would be ${spoken(words.low * scale, column.unit)} or more` }
  if (words?.high != null && value > words.high)
    return { why: `right would be ${spoken(words.high * scale, column.unit)} or less` }
  return { value }
}

const split = (text: string): string[][] => {
  const lines = text.split(/\r\n|\r|\n/).filter((l) => l.trim())
  const mark = ['\t', ';', ','].find((m) => lines[0]?.includes(m)) ?? '\t'
  return lines.map((l) => l.split(mark).map((c) => c.replace(/^\s*"(.*)"\s*$/, '$1').trim()))
}

/** Read what was pasted into a list. `most` is how many rows the list takes. */
export function readRows(
  text: string,
  list: string,
  columns: readonly Column[],
  held: readonly Record<string, unknown>[],
  { most, fresh = {} }: { most: number; fresh?: Record<string, unknown> },
): Read {
  const byId = columns.some((c) => c.field === 'id')
  const kept = byId ? held : []
  const out: Read = { list: kept.map((r) => ({ ...r })), changed: 0, added: 0, unknown: [], refused: [], failure: '' }
  const [head, ...rows] = split(text)
  if (!head) return out
  const named = head.map((name) => columns.find((c) => [plain(c.word), plain(c.field)].includes(plain(name))))
  if (!named.some(Boolean)) {
    out.failure = `The first line names the columns: ${columns
      .slice(0, 3)
      .map((c) => c.word)
      .join(', ')} …`
    return out
  }
  const twice = named.find((c, i) => c && named.indexOf(c) !== i)
  if (twice) {
    out.failure = `“${twice.word}” stands over two columns.`
    return out
  }
  out.unknown = head.filter((name, i) => name && !named[i])
  const seen = new Set<number>()
  const atFirst = out.list.map((r) => JSON.stringify(r))
  rows.forEach((cells, n) => {
    const values: Record<string, unknown> = {}
    let bad = false
    const refuse = (column: string, cell: string, why: string) => {
      bad = true
      out.refused.push({ row: n + 1, column, text: cell, why })
    }
    named.forEach((column, i) => {
      const cell = cells[i] ?? ''
      if (!column) return
      const said = readCell(list, column, cell)
      if (said.why) refuse(column.word, cell, said.why)
      else if (said.value !== undefined) values[column.field] = said.value
    })
    if (cells.length > head.length && cells.slice(head.length).some(Boolean))
      refuse('', cells.slice(head.length).join(' '), `right would be ${counted(head.length, 'cell')}, as the first line has`)
    if (bad || !Object.keys(values).length) return
    const byName = named.some((c) => c?.field === 'id')
    if (byName && values.id === undefined) return refuse('', '', 'right would be a name in every row')
    const at = byName ? out.list.findIndex((r) => r.id === values.id) : byId && n < kept.length ? n : -1
    if (at >= 0) {
      if (seen.has(at)) return refuse('', String(values.id), 'right would be each name once')
      seen.add(at)
      Object.assign(out.list[at] as object, values)
    } else if (byId && !byName)
      refuse('', '', `right would be a column “${columns.find((c) => c.field === 'id')?.word}” for rows that are new`)
    else if (out.list.length >= most) refuse('', String(values.id ?? ''), `right would be ${most} rows at most`)
    else {
      seen.add(out.list.length)
      out.list.push({ ...fresh, ...values })
    }
  })
  out.added = out.list.length - kept.length
  out.changed = atFirst.filter((was, i) => JSON.stringify(out.list[i]) !== was).length
  return out
}
