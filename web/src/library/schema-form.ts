// What a form needs to know of a JSON Schema. Pure.
export type Node = Record<string, unknown>
export type Kind = 'object' | 'map' | 'list' | 'lines' | 'number' | 'switch' | 'choice' | 'fixed' | 'text'

const without = (node: Node, ...keys: string[]): Node =>
  Object.fromEntries(Object.entries(node).filter(([k]) => !keys.includes(k)))

/** Follow references and take the non-null branch of a choice; keep the outer description. */
export function resolve(root: Node, node: Node): Node {
  let at = node
  for (let i = 0; i < 8; i++) {
    const any = (at.anyOf ?? at.oneOf) as Node[] | undefined
    if (any) {
      const real = any.find((n) => n.type !== 'null') ?? {}
      at = { ...real, ...without(at, 'anyOf', 'oneOf') }
    } else if (typeof at.$ref === 'string') {
      const name = at.$ref.split('/').at(-1) ?? ''
      at = { ...((root.$defs as Record<string, Node>)[name] ?? {}), ...without(at, '$ref') }
    } else if (Array.isArray(at.allOf)) {
      at = Object.assign({}, ...at.allOf, without(at, 'allOf'))
    } else break
  }
  return at
}

export function kindOf(root: Node, node: Node): Kind {
  const n = resolve(root, node)
  if ('const' in n) return 'fixed'
  if (Array.isArray(n.enum)) return 'choice'
  if (n.type === 'boolean') return 'switch'
  if (n.type === 'number' || n.type === 'integer') return 'number'
  if (n.type === 'array') return resolve(root, (n.items as Node) ?? {}).type === 'object' ? 'list' : 'lines'
  if (n.type === 'object') return n.properties ? 'object' : 'map'
  return 'text'
}

export const fieldsOf = (root: Node, node: Node): [string, Node][] =>
  Object.entries((resolve(root, node).properties as Record<string, Node> | undefined) ?? {})

/** The schema of the document kind a tag such as `inverter/1` names. */
export function schemaOf(root: Node, tag: string): Node {
  const all = (root.anyOf ?? root.oneOf ?? []) as Node[]
  return (
    all.find((n) => {
      const props = resolve(root, n).properties as Record<string, Node> | undefined
      return props?.ewerer?.const === tag
    }) ?? {}
  )
}

/** A new element of a list: required fields with the least that can stand there. */
export function blank(root: Node, node: Node): unknown {
  const n = resolve(root, node)
  if ('const' in n) return n.const
  if (n.type === 'object') {
    const required = (n.required as string[] | undefined) ?? []
    const props = (n.properties as Record<string, Node> | undefined) ?? {}
    return Object.fromEntries(required.map((k) => [k, blank(root, props[k] ?? {})]))
  }
  if (n.type === 'array') return n.minItems ? [blank(root, (n.items as Node) ?? {})] : []
  if (Array.isArray(n.enum)) return n.enum[0]
  if (n.type === 'boolean') return false
  if (n.type === 'number' || n.type === 'integer') return (n.minimum as number | undefined) ?? 0
  return ''
}

/** Values of a simple list as typed: by commas, or by > for a menu path. */
export const listText = (value: unknown, sep: string): string => (Array.isArray(value) ? value.join(sep) : '')
export function listOf(text: string, root: Node, items: Node): unknown[] {
  const n = resolve(root, items)
  const numeric = n.type === 'number' || n.type === 'integer' || (Array.isArray(n.enum) && typeof n.enum[0] === 'number')
  return text
    .split(/\s*[,>]\s*/)
    .map((t) => t.trim())
    .filter(Boolean)
    .map((t) => (numeric && !Number.isNaN(Number(t)) ? Number(t) : t))
}
export const wordOf = (key: string): string => {
  const unit = /_(v|a|w|ah|mohm|c|s|min|h|ohm|hz|mv|soc)$/.exec(key)?.[1]
  const word = (unit ? key.slice(0, -unit.length - 1) : key).replace(/_/g, ' ')
  const units: Record<string, string> = {
    v: 'V',
    a: 'A',
    w: 'W',
    ah: 'Ah',
    mohm: 'mΩ',
    c: '°C',
    mv: 'mV',
    hz: 'Hz',
    soc: 'charge',
  }
  return (word.charAt(0).toUpperCase() + word.slice(1)).trim() + (unit ? `, ${units[unit] ?? unit}` : '')
}
