// From a stream of events to one state, by the same rules as the server's (src/ewerer/core/record/fold.py): a test holds the
// two to each other on a thousand random streams.
import type { EventData, ReadingState, RecordState, StepState, Told } from './types'

const WORDS = ['by', 'kind', 'step', 'name', 'shown', 'verdict', 'text', 'device', 'setting', 'target', 'photo'] as const

/** Compares texts by code points, as Python does. */
function compare(a: string, b: string): number {
  if (a === b) return 0
  const [x, y] = [Array.from(a), Array.from(b)]
  for (let i = 0; i < Math.min(x.length, y.length); i++) {
    const by = (x[i]!.codePointAt(0) as number) - (y[i]!.codePointAt(0) as number)
    if (by) return by
  }
  return x.length - y.length
}
function rank(a: EventData, b: EventData): number {
  let by = compare(a.at, b.at) || compare(a.id, b.id)
  for (const word of WORDS) by ||= compare(a[word] ?? '', b[word] ?? '')
  return by || Number(a.value !== undefined) - Number(b.value !== undefined) || (a.value ?? 0) - (b.value ?? 0)
}

/** Each event once, in the order they count in, without what was taken back and without the taking back. */
export function ordered(events: Iterable<EventData>): EventData[] {
  const first = new Map<string, EventData>()
  for (const event of [...events].sort(rank)) if (!first.has(event.id)) first.set(event.id, event)
  const line = [...first.values()]
  const place = new Map(line.map((e, i) => [e.id, i]))
  const dead = new Set<string>()
  for (let i = line.length - 1; i >= 0; i--) {
    const event = line[i]!
    if (event.kind !== 'undo' || dead.has(event.id)) continue
    const at = place.get(event.target ?? '') ?? i
    // A change made for a test cannot be taken back: it is put back, and read back.
    if (at < i && line[at]!.kind !== 'temporary') dead.add(event.target as string)
  }
  return line.filter((e) => !dead.has(e.id) && e.kind !== 'undo')
}

const step = (): StepState => ({
  status: '',
  at: '',
  by: '',
  mark: '',
  reason: '',
  verdict: '',
  text: '',
  shown: '',
  back: '',
  override: null,
  open: null,
  readings: {},
  timers: {},
  notes: [],
  photos: [],
})
type Names = (keyof EventData)[]
function told<T extends Told>(event: EventData, ...names: Names): T {
  const out: Record<string, unknown> = { id: event.id, at: event.at, by: event.by }
  for (const name of names) out[name] = event[name] ?? null
  return out as unknown as T
}
const BESIDE = new Set(['as-found', 'renamed', 'log', 'answer', 'proposal', 'visit', 'signed'])

const CARRIED = ['unit', 'module', 'charger']
/** A step's id with one device's name in the place of another. */
export function renamedStep(id: string, old: string, next: string): string {
  if (!id.includes(old)) return id
  const part = (text: string): string => {
    if (text === old || CARRIED.some((head) => text === `${head}-${old}`)) return text.slice(0, text.length - old.length) + next
    if (text.startsWith(`sun-${old}-`)) return `sun-${next}-${text.slice(old.length + 5)}`
    return text
  }
  return id.split(':').map(part).join(':')
}
/** The events that count, each with its step under the name that its device has now. */
export function underNamesOfNow(events: Iterable<EventData>): EventData[] {
  const out: EventData[] = []
  for (const event of ordered(events)) {
    if (event.kind === 'renamed')
      for (const [i, e] of out.entries()) {
        const step = e.step && renamedStep(e.step, event.device as string, event.shown as string)
        if (step !== e.step) out[i] = { ...e, step }
      }
    out.push(event)
  }
  return out
}
/** Give what was told of a device to its new name; what that name already has stays as it is. */
function rename(state: RecordState, old: string, next: string, ...beside: Record<string, number>[]) {
  if (old === next) return
  const found = state.found[old]
  if (found) {
    delete state.found[old]
    state.found[next] = { ...found, ...state.found[next] }
  }
  const moved: Record<string, string> = {}
  for (const id of Object.keys(state.steps)) {
    const to = renamedStep(id, old, next)
    if (to === id || to in state.steps) continue
    moved[id] = to
    state.steps[to] = state.steps[id] as StepState
    delete state.steps[id]
  }
  for (const places of beside)
    for (const [id, to] of Object.entries(moved)) {
      const at = places[id]
      if (at === undefined) continue
      places[to] = at
      delete places[id]
    }
  for (const photo of state.photos) if (photo.step && moved[photo.step]) photo.step = moved[photo.step] as string
}

export function fold(events: Iterable<EventData>): RecordState {
  const line = ordered(events)
  const state: RecordState = {
    ewerer: 'state/1',
    count: line.length,
    last: line.at(-1)?.at ?? '',
    steps: {},
    found: {},
    log: [],
    notes: [],
    photos: [],
    answers: [],
    proposals: {},
    visits: [],
    signed: [],
    people: [],
  }
  const failedAt: Record<string, number> = {}
  const overriddenAt: Record<string, number> = {}
  line.forEach((event, position) => {
    const { kind } = event
    if (!state.people.includes(event.by)) state.people.push(event.by)
    if (kind === 'as-found') {
      const device = event.device as string
      const shown = (state.found[device] ??= {})
      if (event.shown) shown[event.setting as string] = event.shown
      else delete shown[event.setting as string]
      if (!Object.keys(shown).length) delete state.found[device]
    } else if (kind === 'renamed') rename(state, event.device as string, event.shown as string, failedAt, overriddenAt)
    else if (kind === 'log') state.log.push(told(event, 'entry'))
    else if (kind === 'answer') state.answers.push(told(event, 'name', 'shown', 'text'))
    else if (kind === 'proposal') state.proposals[event.name as string] = told(event, 'shown', 'text', 'value')
    else if (kind === 'visit') state.visits.push(told(event, 'text'))
    else if (kind === 'signed') state.signed.push(told(event, 'name', 'text', 'shown'))
    else if (kind === 'note' && !event.step) state.notes.push(told(event, 'text'))
    else if (kind === 'photo') state.photos.push(told(event, 'photo', 'step', 'text'))
    if (BESIDE.has(kind) || !event.step) return
    const s = (state.steps[event.step] ??= step())
    s.at = event.at
    s.by = event.by
    if (kind === 'done' || kind === 'skipped') {
      s.mark = kind
      if (kind === 'done' && event.shown) s.shown = event.shown
      s.reason = event.text ?? ''
    } else if (kind === 'reading') {
      const names: Names = ['value', 'shown', 'unit', 'verdict', 'text', 'low', 'high', 'meter']
      const reading = told<ReadingState>(event, ...names)
      if (outside(event)) Object.assign(reading, { verdict: 'fail', text: 'outside what may be read' })
      s.readings[event.name as string] = reading
    } else if (kind === 'verdict') {
      // A good verdict without anything that was read counts for nothing; a failure is believed.
      if (event.verdict === 'fail' || Object.keys(s.readings).length || Object.keys(s.timers).length) {
        s.verdict = event.verdict as string
        s.text = event.text ?? ''
      }
    } else if (kind === 'override') {
      s.override = told<Told & { text: string }>(event, 'text')
      overriddenAt[event.step] = position
    } else if (kind === 'temporary') s.open = told<NonNullable<StepState['open']>>(event, 'shown', 'text', 'device', 'setting')
    else if (kind === 'restored') {
      if (event.verdict !== 'fail') s.open = null
      s.back = event.shown as string
    } else if (kind === 'read-back') s.back = event.shown as string
    else if (kind === 'decision') s.shown = event.shown as string
    else if (kind === 'timer') s.timers[event.name as string] = event.at
    else if (kind === 'note') s.notes.push(told<Told & { text: string }>(event, 'text'))
    else if (kind === 'photo') s.photos.push(event.photo as string)
    if ((kind === 'read-back' || kind === 'decision') && event.verdict) {
      s.verdict = event.verdict
      s.text = event.text ?? ''
    }
    if ((event.verdict === 'fail' || (kind === 'reading' && outside(event))) && kind !== 'restored')
      failedAt[event.step] = position
  })
  for (const [id, s] of Object.entries(state.steps)) s.status = status(s, failedAt[id] ?? -1, overriddenAt[id] ?? -1)
  return state
}

/** Whether a reading claims to be good though it lies outside its own gate. */
function outside(event: EventData): boolean {
  const { value, low, high, verdict } = event
  if (verdict !== 'pass' || value === undefined || value === null) return false
  const slack = 1e-9 * Math.max(1, Math.abs(value))
  return (
    (low !== undefined && low !== null && value < low - slack) || (high !== undefined && high !== null && value > high + slack)
  )
}

function status(s: StepState, failedAt: number, overriddenAt: number): string {
  if (s.open) return 'open'
  const verdicts = [s.verdict, ...Object.values(s.readings).map((r) => r.verdict)]
  if (verdicts.includes('fail')) return s.override && overriddenAt > failedAt ? 'overridden' : 'failed'
  if (s.override && !s.mark) return 'overridden'
  if (s.mark) return s.mark
  if (verdicts.includes('unsure')) return 'unsure'
  const begun = Object.keys(s.readings).length || Object.keys(s.timers).length || s.back || s.shown || s.verdict
  return begun ? 'begun' : ''
}

export interface Mark {
  entered?: string
  state: 'done' | 'skipped'
  read_back?: string
  note?: string
}
/** The marks on sheets that a state holds, by device and step of its working list, as a job carries them. */
export function marksOf(state: RecordState): Record<string, Record<string, Mark>> {
  const out: Record<string, Record<string, Mark>> = {}
  for (const [id, s] of Object.entries(state.steps)) {
    const [head, device, ...rest] = id.split(':')
    if (head !== 'enter' || !device || !rest.length) continue
    if (s.mark !== 'done' && s.mark !== 'skipped' && !s.back) continue
    const mark: Mark = { state: s.mark === 'skipped' ? 'skipped' : 'done' }
    if (s.back) mark.read_back = s.back
    if (s.shown && s.mark === 'done') mark.entered = s.shown
    const note = s.notes.at(-1)
    if (note) mark.note = note.text
    ;(out[device] ??= {})[rest.join(':')] = mark
  }
  return out
}
