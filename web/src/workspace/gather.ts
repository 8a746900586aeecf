// Findings of one rule gathered: one heading for all units or modules it speaks of, a line for each. Pure.
import type { Finding } from '../api/client'
import { counted } from '../ui/words'

export interface Gathered {
  rule: string
  severity: Finding['severity']
  title: string
  fix: string
  /** Each finding with its place in the whole list, and whom it speaks of. */
  lines: { who: string; finding: Finding; index: number }[]
}

interface Named {
  id: string
}
interface Document {
  units?: Named[]
  bank?: { modules?: Named[] }
  sun?: { chargers?: Named[] }
}

/** Whom a finding speaks of: the unit, module or charger that its place names; empty where it is about the whole job. */
export function whoOf(at: string, job: unknown): string {
  const document = (job ?? {}) as Document
  const parts = at.split('/').slice(1)
  if (['as_found', 'extra_entries', 'sheet_marks'].includes(parts[0] ?? '')) return parts[1] ?? ''
  const lists: [number, Named[] | undefined][] = [
    [parts[0] === 'units' ? 1 : -1, document.units],
    [parts[0] === 'bank' && parts[1] === 'modules' ? 2 : -1, document.bank?.modules],
    [parts[0] === 'sun' && parts[1] === 'chargers' ? 2 : -1, document.sun?.chargers],
  ]
  for (const [place, list] of lists) if (place > 0) return list?.[Number(parts[place])]?.id ?? ''
  return ''
}

/** What is the matter without whom: the title with the name taken out. */
function matter(title: string, who: string): string {
  const bare = who && title.startsWith(`${who} `) ? title.slice(who.length + 1).replace(/^(was|is|has) /, '') : title
  return bare.replace(who ? ` of ${who}` : '\u0000', '').replace(who ? ` on ${who}` : '\u0000', '')
}

/** Findings of one rule, severity and matter together, in the order of the first of each. */
export function gathered(findings: Finding[], job: unknown): Gathered[] {
  const groups = new Map<string, Gathered & { matter: string }>()
  findings.forEach((finding, index) => {
    const who = whoOf(finding.at, job)
    const what = matter(finding.title, who)
    const key = who ? [finding.rule, finding.severity, what].join('\n') : `${finding.rule}\n${index}`
    const group = groups.get(key)
    const line = { who, finding, index }
    if (group) group.lines.push(line)
    else groups.set(key, { ...finding, title: finding.title, lines: [line], matter: what })
  })
  return [...groups.values()].map((g) => ({
    rule: g.rule,
    severity: g.severity,
    fix: g.fix,
    lines: g.lines,
    title: g.lines.length > 1 ? `${[...new Set(g.lines.map((l) => l.who))].join(', ')}: ${g.matter}` : g.title,
  }))
}

/** How many there are of each severity, in words, the worst first; empty where there are none. */
export function tally(of: { severity: Finding['severity'] }[]): string {
  const n = (s: Finding['severity']) => of.filter((f) => f.severity === s).length
  return (['stop', 'caution', 'note'] as const)
    .filter(n)
    .map((s) => counted(n(s), s))
    .join(', ')
}

/** Findings as plain text, to send or to keep: the stops first, each with what to do. */
export function asText(findings: Finding[], job: unknown, beside = ''): string {
  const all = gathered(findings, job)
  const lines = all.map((f) =>
    [
      `${f.severity.toUpperCase()} ${f.title} (${f.rule})`,
      ...f.lines.map((l) => `  ${f.lines.length > 1 ? `${l.who}: ` : ''}${l.finding.message}`),
      ...(f.fix ? [`  To do: ${f.fix}`] : []),
    ].join('\n'),
  )
  return `${(job as { name?: string } | null)?.name ?? ''}${beside}: ${tally(all) || 'no findings'}\n\n${lines.join('\n\n')}\n`
}
