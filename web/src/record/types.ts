// What the work on site is kept as: events as they are made, and the state they fold to.
export interface Meter {
  name: string
  kind?: string
  pct?: number
  digits?: number
  step?: number
  due?: string | null
}
export interface LogEntry {
  kind: 'fault' | 'warning' | 'setting' | 'limit' | 'firmware' | 'visit' | 'reading' | 'note'
  when?: string
  device?: string
  code?: string
  menu?: string
  text?: string
  cleared?: string
  count?: number
  seconds?: number
  from?: string
  to?: string
  own_limit?: string
  due?: string
}
export type Verdict = 'pass' | 'fail' | 'unsure'
export interface EventData {
  ewerer: 'event/1'
  id: string
  at: string
  by: string
  kind: string
  step?: string
  name?: string
  value?: number
  shown?: string
  unit?: string
  verdict?: Verdict
  text?: string
  low?: number
  high?: number
  meter?: Meter
  device?: string
  setting?: string
  target?: string
  photo?: string
  entry?: LogEntry
}
export type NewEvent = Omit<EventData, 'ewerer' | 'id' | 'at' | 'by'>
export interface Told {
  id: string
  at: string
  by: string
}
export interface ReadingState extends Told {
  value: number | null
  shown: string
  unit: string | null
  verdict: Verdict | null
  text: string | null
  low: number | null
  high: number | null
  meter: Meter | null
}
export interface StepState {
  status: string
  at: string
  by: string
  mark: string
  reason: string
  verdict: string
  text: string
  shown: string
  back: string
  override: (Told & { text: string }) | null
  open: (Told & { shown: string; text: string | null; device: string | null; setting: string | null }) | null
  readings: Record<string, ReadingState>
  timers: Record<string, string>
  notes: (Told & { text: string })[]
  photos: string[]
}
export interface RecordState {
  ewerer: 'state/1'
  count: number
  last: string
  steps: Record<string, StepState>
  found: Record<string, Record<string, string>>
  log: (Told & { entry: LogEntry })[]
  notes: (Told & { text: string })[]
  photos: (Told & { photo: string; step: string | null; text: string | null })[]
  answers: (Told & { name: string; shown: string; text: string | null })[]
  proposals: Record<string, Told & { shown: string; text: string | null; value: number | null }>
  visits: (Told & { text: string })[]
  signed: (Told & { name: string; text: string; shown: string | null })[]
  people: string[]
}
