// JSON pointers (RFC 6901) into the job document: read, write without touching the original, compare.
export const parts = (pointer: string): string[] =>
  pointer === ''
    ? []
    : pointer
        .slice(1)
        .split('/')
        .map((p) => p.replace(/~1/g, '/').replace(/~0/g, '~'))

export function read(document: unknown, pointer: string): unknown {
  let node: unknown = document
  for (const part of parts(pointer)) {
    if (node === null || typeof node !== 'object') return undefined
    node = (node as Record<string, unknown>)[part]
  }
  return node
}

/** A copy of `document` with `value` at `pointer`; undefined removes the key, and objects left empty on the way with it. */
export function write<T>(document: T, pointer: string, value: unknown): T {
  const path = parts(pointer)
  if (path.length === 0) return value as T
  const set = (node: unknown, at: number): unknown => {
    const key = path[at] as string
    const list = Array.isArray(node)
    const copy = (list ? [...(node as unknown[])] : { ...((node as object | undefined) ?? {}) }) as Record<string, unknown>
    if (at === path.length - 1) {
      if (value !== undefined) copy[key] = value
      else if (list) (copy as unknown as unknown[]).splice(Number(key), 1)
      else delete copy[key]
    } else {
      const inner = set(copy[key], at + 1)
      const gone = value === undefined && inner !== null && typeof inner === 'object' && !Array.isArray(inner)
      if (gone && Object.keys(inner as object).length === 0 && !list) delete copy[key]
      else copy[key] = inner
    }
    return copy
  }
  return set(document, 0) as T
}

/** The pointers at which two documents differ, deepest first found, in document order. */
export function differences(a: unknown, b: unknown, at = ''): string[] {
  if (a === b) return []
  const bothObjects = a !== null && b !== null && typeof a === 'object' && typeof b === 'object'
  if (!bothObjects || Array.isArray(a) !== Array.isArray(b)) return [at]
  const keys = new Set([...Object.keys(a as object), ...Object.keys(b as object)])
  return [...keys].flatMap((k) =>
    differences(
      (a as Record<string, unknown>)[k],
      (b as Record<string, unknown>)[k],
      `${at}/${k.replace(/~/g, '~0').replace(/\//g, '~1')}`,
    ),
  )
}
