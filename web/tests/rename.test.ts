import { describe, expect, it } from 'vitest'
import type { Job } from '../src/api/client'
import { renamed, withName } from '../src/job/rename'
import { fold, renamedStep, underNamesOfNow } from '../src/record/fold'
import type { EventData } from '../src/record/types'

const job = {
  units: [{ id: 'U1' }, { id: 'U2' }],
  bank: { modules: [{ id: 'M1' }] },
  extra_entries: { U1: { a: '1' }, U2: { b: '2' } },
  link: { taken_ports: { U1: ['x'] } },
  breakers: [{ id: 'b', name: 'B', side: 'unit', device: 'U1' }],
} as unknown as Job
const ids = (...units: string[]) => ({ ...job, units: units.map((id) => ({ id })) }) as unknown as Job

describe('a device that gets another name', () => {
  it('is seen where one row has another id, and only then', () => {
    expect(renamed(job, ids('Host', 'U2'))).toEqual({ from: 'U1', to: 'Host' })
    expect(renamed(job, job)).toBeNull()
    expect(renamed(job, ids('U1'))).toBeNull()
    expect(renamed(job, ids('U2', 'U1'))).toBeNull()
    expect(renamed(job, ids('U2', 'U2'))).toBeNull()
    expect(renamed(job, ids('M1', 'U2'))).toBeNull()
    expect(renamed(job, ids('a b', 'U2'))).toBeNull()
  })
  it('takes along what the document says of it', () => {
    const next = withName(job, 'U1', 'Host') as unknown as Record<string, unknown>
    expect(next.extra_entries).toEqual({ Host: { a: '1' }, U2: { b: '2' } })
    expect(next.link).toEqual({ taken_ports: { Host: ['x'] } })
    expect(next.breakers).toMatchObject([{ device: 'Host' }])
  })
  it('takes along its steps by their parts', () => {
    expect(renamedStep('enter:U1:fill', 'U1', 'Host')).toBe('enter:Host:fill')
    expect(renamedStep('isolate:unit-U1', 'U1', 'Host')).toBe('isolate:unit-Host')
    expect(renamedStep('isolate:sun-U1-2', 'U1', 'Host')).toBe('isolate:sun-Host-2')
    expect(renamedStep('enter:U10:U11', 'U1', 'Host')).toBe('enter:U10:U11')
  })
  const event = (id: string, more: object) =>
    ({ ewerer: 'event/1', id, at: `2026-05-04T09:00:0${id}.000Z`, by: 'A', ...more }) as EventData
  const line = [
    event('1', { kind: 'as-found', device: 'U1', setting: 'top', shown: '56.4' }),
    event('2', { kind: 'done', step: 'enter:U1:top' }),
    event('3', { kind: 'renamed', device: 'U1', shown: 'Host' }),
    event('4', { kind: 'read-back', step: 'enter:Host:top', shown: '55.2' }),
  ]
  it('keeps what was found and done under its new name', () => {
    const state = fold(line)
    expect(state.found).toEqual({ Host: { top: '56.4' } })
    expect(Object.keys(state.steps)).toEqual(['enter:Host:top'])
    expect(state.steps['enter:Host:top']).toMatchObject({ mark: 'done', back: '55.2', status: 'done' })
    expect(underNamesOfNow(line).map((e) => e.step)).toEqual([undefined, 'enter:Host:top', undefined, 'enter:Host:top'])
  })
  it('and under its old one again when the renaming is taken back', () => {
    const back = [...line.slice(0, 3), event('5', { kind: 'undo', target: '3', text: 'no' })]
    expect(fold(back).found).toEqual({ U1: { top: '56.4' } })
  })
})
