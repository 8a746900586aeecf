// Places of a drawing of the group: lanes for phases, boxes for devices, lines between them. Pure.
import type { Plan } from '../../api/client'

type Group = NonNullable<Plan['group']>
interface Box {
  id: string
  word: string
  place: string
  kind: string
  host: boolean
  x: number
  y: number
  width: number
  height: number
}
interface Line {
  key: string
  kind: string
  path: string
  label: string
  x: number
  y: number
  anchor: 'start' | 'middle' | 'end'
}
/** A text cut in its middle to so many characters: the ends of names tell devices apart. */
export const cut = (text: string, most: number): string => {
  if (text.length <= most) return text
  const head = Math.ceil((most - 1) / 2)
  return `${text.slice(0, head)}…${text.slice(text.length - (most - 1 - head))}`
}
/** What fits a box: a long name has the first line to itself, and its place goes below. */
function fitted(box: Box) {
  const letters = Math.floor((box.width - 18) / 7.6)
  const small = Math.floor((box.width - 18) / 6.6)
  const long = box.id.length + (box.place ? box.place.length + 2 : 0) > letters
  const room = long && box.place ? Math.max(small - box.place.length - 2, 3) : small
  return { ...box, long, shown: cut(box.id, letters), told: cut(box.word, room) }
}
const WIDE = 148
const HIGH = 44
const GAP = 16
const TOP = 26
const PHASES = ['L1', 'L2', 'L3']

export function drawGroup(group: Group) {
  const phases = PHASES.filter((p) => group.places.some((u) => u.phases.includes(p)))
  const many = Math.max(1, ...group.places.map((u) => u.number))
  const side = group.beside.length ? WIDE + 70 : 0
  const lane = WIDE + 2 * GAP
  const tall = TOP + many * (HIGH + GAP)
  const laneX = (i: number) => side + i * (lane + 10)
  const lanes = phases.map((p, i) => ({ word: p, x: laneX(i), y: 0, width: lane, height: tall }))
  const boxes: Box[] = group.places.map((u) => {
    const first = phases.indexOf(u.phases[0] ?? '')
    const span = u.phases.length
    return {
      id: u.unit,
      word: u.name,
      place: `${u.role}${span > 1 ? `, no ${u.number}` : ''}`,
      kind: 'unit',
      host: u.role === 'host',
      x: laneX(first) + GAP,
      y: TOP + (u.number - 1) * (HIGH + GAP),
      width: WIDE + (span - 1) * (lane + 10),
      height: HIGH,
    }
  })
  group.beside.forEach((b, i) =>
    boxes.push({
      id: b.id,
      word: b.name,
      place: b.role === 'alone' ? '' : b.role,
      kind: b.kind,
      host: false,
      x: 0,
      y: TOP + i * (HIGH + GAP),
      width: WIDE,
      height: HIGH,
    }),
  )
  const foot = Math.max(tall, TOP + group.beside.length * (HIGH + GAP)) + 46
  const sources = [...new Set(group.lines.filter((l) => l.kind === 'bms').map((l) => l.from))]
  sources.forEach((id, i) =>
    boxes.push({
      id,
      word: 'of the bank',
      place: id === group.speaker ? 'speaks' : '',
      kind: 'bank',
      host: false,
      x: side + GAP + i * (WIDE + 20),
      y: foot,
      width: WIDE,
      height: HIGH,
    }),
  )
  const said_by = group.lines.filter((l) => l.kind === 'bms')
  const notes = said_by.map((l, i) => ({
    key: l.to,
    text: `to ${cut(l.to, 18)}: ${l.label}`,
    x: side + GAP + sources.length * (WIDE + 20),
    y: foot + 16 + i * 18,
  }))
  const at = new Map(boxes.map((b) => [b.id, b]))
  const lines = group.lines.flatMap((l): Line[] => {
    const a = at.get(l.from)
    const b = at.get(l.to)
    return a && b ? [between(a, b, l.kind, l.label)] : []
  })
  const width = Math.max(laneX(phases.length), side + 2 * GAP + sources.length * (WIDE + 20) + (notes.length ? 300 : 0), 300)
  const said = [
    ...group.places.map((u) => `${u.unit}, ${u.role}, on ${u.phases.join(', ')}, number ${u.number}`),
    ...group.lines.map((l) => `${l.from} to ${l.to}${l.label ? `, ${l.label}` : ''}`),
  ].join('; ')
  return {
    lanes,
    boxes: boxes.map(fitted),
    lines,
    notes,
    width: width + 4,
    height: foot + (sources.length ? Math.max(HIGH + 6, notes.length * 18 + 6) : -30),
    said,
    kinds: new Set(group.lines.map((l) => l.kind)),
  }
}

/** A line from one box to another: down from the bank, sideways between neighbours, round the outside of a column. */
function between(a: Box, b: Box, kind: string, label: string): Line {
  const key = `${kind}-${a.id}-${b.id}`
  const mid = (box: Box) => box.x + box.width / 2
  if (a.kind === 'bank') {
    const left = b.x + b.width / 2 < a.x
    const x = left ? b.x + b.width + 24 : b.x - 9
    const y = a.y - 18
    const from = a.x + (left ? 22 : 44)
    const path = `M${from} ${a.y}V${y}H${x}V${b.y + b.height / 2}H${left ? b.x + b.width : b.x}`
    return { key, kind, path, label: '', x: from, y, anchor: 'start' }
  }
  if (Math.abs(a.x - b.x) < 2) {
    const x = mid(a)
    return { key, kind, path: `M${x} ${a.y + a.height}V${b.y}`, label: '', x: x + 6, y: b.y - 5, anchor: 'start' }
  }
  const [from, to] = a.x < b.x ? [a.x + a.width, b.x] : [a.x, b.x + b.width]
  const turn = (from + to) / 2
  return {
    key,
    kind,
    path: `M${from} ${a.y + a.height / 2}H${turn}V${b.y + b.height / 2}H${to}`,
    label,
    x: turn,
    y: Math.min(a.y, b.y) + 12,
    anchor: 'middle',
  }
}
