// Two people changed one document: what only one of them changed is taken, what both changed differently is asked, field by field.
// Rows of a list go by their id, so that a row added above does not shift the others.
export interface Clash {
  /** Where it stands in my document, else in theirs. */
  pointer: string
  key: string
  mine: unknown
  theirs: unknown
}
export type Settle = (clash: Clash) => 'mine' | 'theirs' | undefined
export interface Merged<T> {
  document: T
  clashes: Clash[]
}
const same = (a: unknown, b: unknown) => a === b || JSON.stringify(a) === JSON.stringify(b)
const isObject = (v: unknown): v is Record<string, unknown> => v !== null && typeof v === 'object' && !Array.isArray(v)
const escaped = (part: string) => part.replace(/~/g, '~0').replace(/\//g, '~1')

type Row = { id: string } & Record<string, unknown>
function rowsOf(value: unknown): Row[] | null {
  if (!Array.isArray(value) || !value.every((r) => isObject(r) && typeof r.id === 'string')) return null
  return new Set(value.map((r) => r.id)).size === value.length ? (value as Row[]) : null
}

/** Merge what I and they made of `base`. `settle` decides what both changed; mine stands where it does not. */
export function merge<T>(base: T, mine: T, theirs: T, settle: Settle = () => undefined): Merged<T> {
  const clashes: Clash[] = []
  const asked = (key: string, pointer: string, m: unknown, t: unknown) => {
    const clash = { key, pointer, mine: m, theirs: t }
    const decided = settle(clash)
    if (!decided) clashes.push(clash)
    return decided === 'theirs' ? t : m
  }
  function both(b: unknown, m: unknown, t: unknown, key: string, pointer: string): unknown {
    if (same(m, t) || same(t, b)) return m
    if (same(m, b)) return t
    if (isObject(m) && isObject(t)) {
      const from = isObject(b) ? b : {}
      const out: Record<string, unknown> = {}
      for (const k of new Set([...Object.keys(m), ...Object.keys(t)])) {
        const v = both(from[k], m[k], t[k], `${key}/${escaped(k)}`, `${pointer}/${escaped(k)}`)
        if (v !== undefined) out[k] = v
      }
      return out
    }
    const [mr, tr] = [rowsOf(m), rowsOf(t)]
    if (mr && tr) return rows(rowsOf(b) ?? [], mr, tr, key, pointer)
    if (Array.isArray(m) && Array.isArray(t) && Array.isArray(b) && m.length === t.length && b.length === m.length)
      return m.map((v, i) => both(b[i], v, t[i], `${key}/${i}`, `${pointer}/${i}`))
    return asked(key, pointer, m, t)
  }
  function rows(b: Row[], m: Row[], t: Row[], key: string, pointer: string): Row[] {
    const [bi, mi, ti] = [b, m, t].map((list) => new Map(list.map((r) => [r.id, r] as const))) as [
      Map<string, Row>,
      Map<string, Row>,
      Map<string, Row>,
    ]
    // The order of whoever moved rows; mine where both or neither did.
    const moved = (list: Row[], at: Map<string, Row>) =>
      !same(
        list.filter((r) => bi.has(r.id)).map((r) => r.id),
        b.filter((r) => at.has(r.id)).map((r) => r.id),
      )
    const [first, second] = moved(t, ti) && !moved(m, mi) ? [t, m] : [m, t]
    const out: Row[] = []
    for (const { id } of [...first, ...second.filter((r) => !first.some((f) => f.id === r.id))]) {
      const at = m.findIndex((r) => r.id === id)
      const where = `${pointer}/${at >= 0 ? at : t.findIndex((r) => r.id === id)}`
      const v = both(bi.get(id), mi.get(id), ti.get(id), `${key}/${escaped(id)}`, where)
      if (v !== undefined) out.push(v as Row)
    }
    return out
  }
  return { document: both(base, mine, theirs, '', '') as T, clashes }
}
