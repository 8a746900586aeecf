// What is typed and not yet acknowledged by the server stays on this device. A draft belongs to its tab; one whose tab is gone is taken
// up by the next that opens the job.
import type { Job } from '../api/client'
import { keep, kept } from '../ui/kept'

export interface Draft {
  base: number
  /** The document of the revision it was made from, for a merge. */
  origin?: Job
  document: Job
  /** Half-typed texts by their place. */
  typed?: Record<string, string>
  at?: number
}
const TAB = 'ewerer:tab'
const stem = (id: string) => `ewerer:draft:${id}`
const key = (id: string) => `${stem(id)}:${tab()}`

export function tab(): string {
  let mine = sessionStorage.getItem(TAB)
  if (!mine) sessionStorage.setItem(TAB, (mine = Math.random().toString(36).slice(2, 10)))
  return mine
}
export const keepDraft = (id: string, draft: Draft) => keep(localStorage, key(id), { ...draft, at: Date.now() })
export const dropDraft = (id: string) => localStorage.removeItem(key(id))

const CHANNEL = 'ewerer:tabs'
const ANSWER_MS = 120
export type TabNews =
  { kind: 'who' } | { kind: 'here'; tab: string } | { kind: 'saved'; job: string; revision: number; tab: string }
/** Talk with the other tabs of this browser; without such a channel nobody answers. */
export function tabs(heard: (news: TabNews) => void) {
  if (typeof BroadcastChannel === 'undefined')
    return { say: () => undefined, others: async () => [] as string[], close: () => undefined }
  const channel = new BroadcastChannel(CHANNEL)
  const me = tab()
  const alive: string[] = []
  const store = sessionStorage // the answer may come when the page is gone
  channel.onmessage = ({ data }: MessageEvent<TabNews>) => {
    if (data.kind === 'who') channel.postMessage({ kind: 'here', tab: me } satisfies TabNews)
    else if (data.kind === 'here') alive.push(data.tab)
    else heard(data)
  }
  return {
    say: (news: TabNews) => channel.postMessage(news),
    /** The tabs that are open besides this one. A copied tab takes a name of its own. */
    async others(): Promise<string[]> {
      channel.postMessage({ kind: 'who' } satisfies TabNews)
      await new Promise((r) => setTimeout(r, ANSWER_MS))
      if (alive.includes(me)) store.removeItem(TAB)
      return alive
    },
    close: () => channel.close(),
  }
}
const draftKeys = (id: string) => Object.keys(localStorage).filter((k) => k === stem(id) || k.startsWith(`${stem(id)}:`))
/** There is a draft of the job, whoever's; without one nobody need be asked whether they are still there. */
export const hasDraft = (id: string): boolean => draftKeys(id).length > 0
/** This tab's draft of a job, else the newest that a closed tab left; what is taken up is this tab's from then on. */
export function loadDraft(id: string, others: string[]): Draft | null {
  const own = kept<Draft>(localStorage, key(id))
  if (own) return own
  const left = draftKeys(id)
    .filter((k) => !others.some((t) => k.endsWith(`:${t}`)))
    .map((k) => ({ k, draft: kept<Draft>(localStorage, k) }))
    .filter((d): d is { k: string; draft: Draft } => d.draft !== null)
    .sort((a, b) => (b.draft.at ?? 0) - (a.draft.at ?? 0))[0]
  if (!left) return null
  localStorage.removeItem(left.k)
  keepDraft(id, left.draft)
  return left.draft
}
