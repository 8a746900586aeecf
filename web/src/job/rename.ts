// A device gets another name: what the document says of it elsewhere goes along, and so does what was done with it.
import type { Job } from '../api/client'

const LISTS = [['units'], ['bank', 'modules'], ['sun', 'chargers'], ['sun', 'on_output']]
const NAME = /^[A-Za-z0-9][A-Za-z0-9_.-]{0,39}$/
const idsAt = (document: unknown, path: string[]): string[] | null => {
  let node: unknown = document
  for (const part of path) node = (node as Record<string, unknown> | undefined)?.[part]
  return Array.isArray(node) ? node.map((row) => String((row as { id?: unknown }).id ?? '')) : null
}
const all = (document: unknown): string[] => LISTS.flatMap((path) => idsAt(document, path) ?? [])

/** The device that has another name in `next` than in `before`, where it is one and its new name is free. */
export function renamed(before: Job, next: Job): { from: string; to: string } | null {
  const found: { from: string; to: string }[] = []
  for (const path of LISTS) {
    const [a, b] = [idsAt(before, path), idsAt(next, path)]
    if (!a || !b || a.length !== b.length) continue
    a.forEach((from, i) => from !== b[i] && found.push({ from, to: b[i] as string }))
  }
  const [one] = found
  if (!one || found.length > 1 || !NAME.test(one.from) || !NAME.test(one.to)) return null
  return all(before).includes(one.to) || all(next).includes(one.from) ? null : one
}
const moved = <T>(held: Record<string, T> | undefined, from: string, to: string): Record<string, T> | undefined =>
  held && from in held ? Object.fromEntries(Object.entries(held).map(([k, v]) => [k === from ? to : k, v])) : held

/** The document with every mention of a device under its new name. */
export function withName(document: Job, from: string, to: string): Job {
  const out = { ...document } as Record<string, unknown>
  for (const key of ['extra_entries', 'as_found', 'sheet_marks']) {
    const next = moved(out[key] as Record<string, unknown> | undefined, from, to)
    if (next) out[key] = next
  }
  const link = out.link as { taken_ports?: Record<string, unknown> } | undefined
  if (link?.taken_ports) out.link = { ...link, taken_ports: moved(link.taken_ports, from, to) }
  const breakers = out.breakers as { device?: string }[] | undefined
  if (breakers?.some((b) => b.device === from)) out.breakers = breakers.map((b) => (b.device === from ? { ...b, device: to } : b))
  return out as Job
}
