// Where each step of a run stands, by the same rules as the server's (src/ewerer/core/record/run.py).
import { sameText } from './judge'

export type Standing =
  'done' | 'overridden' | 'skipped' | 'failed' | 'open' | 'unsure' | 'begun' | 'ready' | 'waiting' | 'blocked'
const FINISHED = ['done', 'overridden', 'skipped']

interface StepLike {
  id: string
  needs?: string[]
  lines?: { id: string; enter?: string }[]
  firm?: boolean
  changes?: { id: string }[]
}

const MOST_SHOWN = 60
/** Whether what was entered is still what the plan asks for; where nobody noted it, it counts as such. */
export function stands(enter: string, told: { status?: string; shown?: string } | undefined): boolean {
  const shown = told?.shown ?? ''
  return told?.status !== 'done' || !shown || sameText(shown, enter.slice(0, MOST_SHOWN))
}

/** The status of each step; a line that was entered otherwise than the plan says now is to be entered again. */
export function statusesOf(steps: StepLike[], told: Record<string, { status: string; shown?: string }>): Record<string, string> {
  const out = Object.fromEntries(Object.entries(told).map(([id, s]) => [id, s.status]))
  for (const s of steps)
    for (const line of s.lines ?? []) if (line.id in out && !stands(line.enter ?? '', told[line.id])) out[line.id] = ''
  return out
}

/** The statuses with those of pages, made of their lines; a step that nobody may go past is failed where somebody did. */
export function ofPages(steps: StepLike[], statuses: Record<string, string>): Record<string, string> {
  const out = { ...statuses }
  for (const s of steps) {
    const own = statuses[s.id] ?? ''
    const gone = own === 'overridden' || own === 'skipped'
    if (s.firm && gone) out[s.id] = 'failed'
    if (s.changes?.some((c) => statuses[c.id] === 'open')) out[s.id] = 'open'
    if (!s.lines?.length || gone) continue
    const held = s.lines.map((l) => statuses[l.id] ?? '')
    if (held.includes('failed')) out[s.id] = 'failed'
    else if (held.includes('open')) out[s.id] = 'open'
    else if (held.every((h) => FINISHED.includes(h))) out[s.id] = 'done'
    else if (held.some(Boolean) || own) out[s.id] = 'begun'
  }
  return out
}

export function standing(steps: StepLike[], told: Record<string, string>): Record<string, Standing> {
  const statuses = ofPages(steps, told)
  const needs = new Map(steps.map((s) => [s.id, s.needs ?? []]))
  const known = new Map<string, boolean>()
  const blocked = (id: string): boolean => {
    const held = known.get(id)
    if (held !== undefined) return held
    known.set(id, false)
    const found = (needs.get(id) ?? []).some((n) => statuses[n] === 'failed' || statuses[n] === 'open' || blocked(n))
    known.set(id, found)
    return found
  }
  const out: Record<string, Standing> = {}
  for (const s of steps) {
    const status = statuses[s.id] ?? ''
    if (FINISHED.includes(status) || status === 'failed' || status === 'open') out[s.id] = status as Standing
    else if (blocked(s.id)) out[s.id] = 'blocked'
    else if ((s.needs ?? []).some((n) => !FINISHED.includes(statuses[n] ?? ''))) out[s.id] = 'waiting'
    else out[s.id] = (status || 'ready') as Standing
  }
  return out
}

/** The steps that wait for one, directly or through others, in the order of the run. */
export function waitsFor(steps: { id: string; needs?: string[] }[], id: string): string[] {
  const waiting = new Set([id])
  for (const s of steps) if ((s.needs ?? []).some((n) => waiting.has(n))) waiting.add(s.id)
  return steps.map((s) => s.id).filter((s) => s !== id && waiting.has(s))
}
