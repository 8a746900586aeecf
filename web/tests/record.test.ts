// The browser's half of the record, beside the server's: the fold on a thousand random streams, verdicts, standing, the queue.
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { api, ApiProblem } from '../src/api/client'
import { fold, marksOf, ordered } from '../src/record/fold'
import { judgeGate, meterError, sameText } from '../src/record/judge'
import { standing, waitsFor } from '../src/record/standing'
import { inMemory } from '../src/record/store'
import type { EventData, NewEvent } from '../src/record/types'
import { createRecord, moment } from '../src/record/use-record'
import { openBreakers } from '../src/record/use-run'
import { session } from '../src/session/use-session'

const found = import.meta.glob<{ events: EventData[]; state: unknown }[]>('../../var/streams.json', {
  eager: true,
  import: 'default',
})
const streams = Object.values(found)[0] ?? []
describe('the fold', () => {
  it('gives the state that the server gives, on a thousand random streams', () => {
    expect(streams.length, 'python -m tests.streams var/streams.json makes them; make test does').toBe(1000)
    for (const { events, state } of streams) {
      expect(fold(events)).toEqual(state)
      expect(fold([...events].reverse())).toEqual(state)
    }
  })
  it('has streams that matter: undone, failed, overridden and open steps are among them', () => {
    const text = JSON.stringify(streams)
    for (const word of ['"failed"', '"overridden"', '"open"', '"undo"', '"unsure"']) expect(text).toContain(word)
  })
})

const event = (id: string, kind: string, second: number, more: Partial<EventData> = {}): EventData => ({
  ewerer: 'event/1',
  id,
  at: `2026-05-04T09:00:${String(second).padStart(2, '0')}.000Z`,
  by: 'ann',
  kind,
  ...more,
})

describe('verdicts', () => {
  const gate = { low: 57, high: 63, zones: [{ low: 102, high: 138, text: 'One terminator is missing', then: 'Look.' }] }
  const meter = { name: 'Blue', pct: 1.2, digits: 3, step: 0.1 }
  it.each([
    [60, meter, 'pass'],
    [56.5, meter, 'unsure'],
    [55, meter, 'fail'],
    [118, meter, 'fail'],
    [60, { name: 'Coarse', pct: 6 }, 'unsure'],
    [57, null, 'pass'],
    [56.99, null, 'fail'],
  ])('reads %s as the server does', (value, by, verdict) => {
    expect(judgeGate(gate, value, by).verdict).toBe(verdict)
  })
  it('says what a zone says, and which side', () => {
    expect(judgeGate(gate, 118).text).toBe('One terminator is missing. Look.')
    expect(judgeGate({ low: 57 }, 50).text).toBe('Not good: 57 at least')
    expect(judgeGate({ high: 63 }, 70, null, 'Ω').text).toBe('Not good: 63 at most')
    expect(meterError(meter, 100)).toBeCloseTo(1.5)
  })
  it.each([
    ['53.6', '53.60', true],
    ['53,6', '53.6', true],
    [' On ', 'on', true],
    ['On', 'Off', false],
    ['1e2', '100', false],
  ])('%s and %s the same: %s', (a, b, same) => expect(sameText(a, b)).toBe(same))
})

describe('standing', () => {
  const steps = [{ id: 'a' }, { id: 'b', needs: ['a'] }, { id: 'c', needs: ['b'] }, { id: 'd', needs: ['a'] }, { id: 'e' }]
  it('blocks exactly what depends on what failed', () => {
    expect(standing(steps, { b: 'failed', a: 'done' })).toEqual({ a: 'done', b: 'failed', c: 'blocked', d: 'ready', e: 'ready' })
    expect(standing(steps, { b: 'overridden', a: 'done' }).c).toBe('ready')
    expect(standing(steps, {}).c).toBe('waiting')
    expect(standing(steps, { a: 'open' }).c).toBe('blocked')
    expect(waitsFor(steps, 'a')).toEqual(['b', 'c', 'd'])
  })
  it('knows which breakers are open', () => {
    const moves = [
      { id: 'isolate:q', breaker: 'q', opens: true },
      { id: 'restore:q', breaker: 'q', opens: false },
    ]
    const told = { 'isolate:q': { status: 'done', at: '1' }, 'restore:q': { status: 'failed', at: '2' } }
    expect(openBreakers(moves, told)).toEqual(['q'])
    expect(openBreakers(moves, { ...told, 'restore:q': { status: 'done', at: '2' } })).toEqual([])
  })
})

describe('the record on this device', () => {
  let server: EventData[]
  let line: boolean
  const offline = () => new ApiProblem(0, 'away', 'away')
  beforeEach(() => {
    server = []
    line = true
    session.value = { signed_in: true, user: 'ann', crew: 'Ours', csrf: '', version: '', hint: '', crews: [] }
    vi.spyOn(api, 'sendEvents').mockImplementation((_, events) => {
      if (!line) throw offline()
      const known = new Set(server.map((e) => e.id))
      const refused = events.filter((e) => e.text === 'refuse me').map((e) => ({ id: e.id, message: 'no' }))
      server.push(...events.filter((e) => !known.has(e.id) && e.text !== 'refuse me'))
      return Promise.resolve({ accepted: 0, known: 0, refused, last: server.length }) as never
    })
    vi.spyOn(api, 'events').mockImplementation((_, after) => {
      if (!line) throw offline()
      const items = server.slice(after, after + 7).map((e, i) => ({ seq: after + i + 1, event: e }))
      return Promise.resolve({ items, last: server.length }) as never
    })
  })
  const many = (n: number): NewEvent[] => Array.from({ length: n }, (_, i) => ({ kind: 'note', text: `note ${i}` }))

  it('keeps forty events without a line, survives a killed tab, and sends each once, in order', async () => {
    const store = inMemory()
    const first = createRecord('j', store)
    await first.open()
    line = false
    for (const one of many(40)) await first.add(one)
    await first.sync()
    expect(first.waiting.value).toBe(40)
    expect(first.away.value).toBe(true)
    expect(first.state.value.notes.length).toBe(40)
    first.close()
    const second = createRecord('j', store)
    await second.open()
    expect(second.state.value.notes.length).toBe(40)
    line = true
    await Promise.all([second.sync(), second.sync()])
    await second.sync()
    expect(server.map((e) => e.text)).toEqual(many(40).map((e) => e.text))
    expect(second.waiting.value).toBe(0)
    second.close()
  })
  it('reads what others did, page after page, and folds it with what it has', async () => {
    server.push(...Array.from({ length: 20 }, (_, i) => event(`o${i}`, 'done', i, { by: 'amy', step: `s${i}` })))
    const record = createRecord('j', inMemory())
    await record.open()
    expect(Object.keys(record.state.value.steps).length).toBe(20)
    expect(record.state.value.people).toEqual(['amy'])
    record.close()
  })
  it('keeps what the server refuses apart, with the reason, and does not count it', async () => {
    const record = createRecord('j', inMemory())
    await record.open()
    await record.add({ kind: 'note', text: 'refuse me' }, { kind: 'note', text: 'good' })
    await record.sync()
    expect(record.refused.value[0]?.why).toBe('no')
    expect(record.state.value.notes.map((n) => n.text)).toEqual(['good'])
    record.close()
  })
  it('makes every event stand after the last one known, even with a clock that is behind', () => {
    expect(moment('2030-01-01T00:00:00.000Z', Date.parse('2026-01-01'))).toBe('2030-01-01T00:00:00.001Z')
  })
  it('writes found values and marks of sheets as events, and takes them back', async () => {
    const record = createRecord('j', inMemory())
    await record.open()
    record.writeFound('U1', { rest: 'On', tail: '4' })
    record.writeMark('U1', 'fill-volts', { state: 'done', read_back: '55.2', note: 'stiff' })
    await vi.waitFor(() => expect(record.state.value.found).toEqual({ U1: { rest: 'On', tail: '4' } }))
    expect(marksOf(record.state.value)).toEqual({ U1: { 'fill-volts': { state: 'done', read_back: '55.2', note: 'stiff' } } })
    record.writeFound('U1', { rest: 'On' })
    record.writeMark('U1', 'fill-volts', { state: 'skipped' })
    await vi.waitFor(() => expect(record.state.value.found).toEqual({ U1: { rest: 'On' } }))
    expect(record.marks.value).toEqual({ U1: { 'fill-volts': { state: 'skipped' } } })
    record.writeMark('U1', 'fill-volts', undefined)
    await vi.waitFor(() => expect(record.marks.value).toEqual({}))
    expect(ordered(record.events.value).every((e) => e.kind === 'as-found')).toBe(true)
    record.close()
  })
})
