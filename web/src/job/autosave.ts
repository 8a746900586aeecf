// Saves what was typed a moment later, on top of the revision it knows; keeps a draft until the server has acknowledged. A field that
// is refused does not hold up the others; a save of somebody else is merged, and only what both changed is asked.
import { ref, shallowRef, type Ref } from 'vue'
import { api, ApiProblem, type Job, type JobOut, type ProblemOut, type Saved, type Stale } from '../api/client'
import { dropDraft, keepDraft } from './draft'
import { merge, type Clash, type Settle } from './merge'
import { withoutRefused } from './refused'

export type SaveState = 'saved' | 'unsaved' | 'saving' | 'offline' | 'refused' | 'conflict' | 'failed'
const SAVE_AFTER_MS = 700
/** However long somebody types on. */
const SAVE_WITHIN_MS = 2_000
const RETRY_AFTER_MS = 4_000
const RETRY_MOST_MS = 60_000
const ROUNDS = 4

export interface Both extends Stale {
  clashes: Clash[]
}
interface Told {
  /** Nothing is to be saved now (a what-if is tried). */
  paused: () => boolean
  typed: () => Record<string, string>
  /** The document became another by a merge. */
  merged: (next: Job, by: string) => void
  saved: (revision: number) => void
}

export function createAutosave(id: string, document: Ref<Job | null>, told: Told) {
  const revision = ref(0)
  const savedAt = ref('')
  const savedBy = ref('')
  const state = ref<SaveState>('saved')
  const failure = ref('')
  const refusals = shallowRef<ProblemOut[]>([])
  const stale = shallowRef<Both | null>(null)
  /** The document as the server holds it at `revision`. */
  const origin = shallowRef<Job | null>(null)
  let timer = 0
  let since = 0
  let tries = 0
  let saving: Promise<void> | null = null
  let closed = false

  function stands(at: Pick<JobOut, 'revision' | 'saved_at' | 'saved_by'>) {
    revision.value = at.revision
    savedAt.value = at.saved_at
    savedBy.value = at.saved_by
  }
  function draft() {
    if (told.paused() || !document.value) return
    if (state.value === 'saved' && !Object.keys(told.typed()).length) return dropDraft(id)
    keepDraft(id, { base: revision.value, origin: origin.value ?? undefined, document: document.value, typed: told.typed() })
  }
  function schedule(after = SAVE_AFTER_MS) {
    if (told.paused() || closed) return
    since ||= Date.now()
    window.clearTimeout(timer)
    timer = window.setTimeout(() => void save(), Math.max(0, Math.min(after, since + SAVE_WITHIN_MS - Date.now())))
  }
  function retry() {
    window.clearTimeout(timer)
    if (!closed) timer = window.setTimeout(() => void save(), Math.min(RETRY_AFTER_MS * 2 ** tries++, RETRY_MOST_MS))
  }
  /** The document has changed: keep it here, and save it soon. */
  function changed() {
    if (told.paused()) return
    if (state.value !== 'conflict') state.value = 'unsaved'
    draft()
    if (!saving) schedule()
  }
  async function save(): Promise<void> {
    if (saving) await saving
    if (told.paused() || state.value === 'conflict' || state.value === 'saved' || !document.value) return
    window.clearTimeout(timer)
    since = 0
    state.value = 'saving'
    saving = attempt(document.value).finally(() => (saving = null))
    await saving
    if ((state.value as SaveState) === 'unsaved') schedule()
  }
  async function attempt(mine: Job) {
    let sent = mine
    let refused: ProblemOut[] = []
    for (let round = 0; round < ROUNDS; round++) {
      try {
        if (refused.length && JSON.stringify(sent) === JSON.stringify(origin.value)) return settle(mine, refused)
        const done = await api.saveJob(id, revision.value, sent)
        return accept(done, sent, mine, refused)
      } catch (error) {
        if (!(error instanceof ApiProblem)) throw error
        // The body of a save holds the document: what is refused stands below its name there.
        const problems = error.problems.map((p) => ({ ...p, pointer: p.pointer.replace(/^\/document(?=\/|$)/, '') }))
        const less = error.status === 422 && origin.value ? withoutRefused(sent, origin.value, problems) : null
        if (!less || round === ROUNDS - 1) return reject(error, mine, [...refused, ...problems])
        refused = [...refused, ...problems]
        sent = less
      }
    }
  }
  function accept(done: Saved, sent: Job, mine: Job, refused: ProblemOut[]) {
    stands(done)
    origin.value = sent
    tries = 0
    told.saved(done.revision)
    settle(mine, refused)
  }
  function settle(mine: Job, refused: ProblemOut[]) {
    failure.value = ''
    refusals.value = refused
    state.value = document.value !== mine ? 'unsaved' : refused.length ? 'refused' : 'saved'
    draft()
  }
  function reject(error: ApiProblem, mine: Job, problems: ProblemOut[]) {
    failure.value = error.inWords
    if (error.status === 409) return between(error.body as unknown as Stale)
    if (error.status === 422) {
      refusals.value = problems
      state.value = document.value === mine ? 'refused' : 'unsaved'
    } else {
      state.value = error.offline ? 'offline' : 'failed'
      if (error.status !== 401) retry()
    }
  }
  /** Somebody saved in between: merge, and ask only what both changed. */
  function between(late: Stale) {
    const mine = document.value as Job
    const base = origin.value
    const done = base ? merge(base, mine, late.theirs) : null
    if (!done || done.clashes.length) {
      stale.value = { ...late, clashes: done?.clashes ?? [] }
      state.value = 'conflict'
      return draft()
    }
    origin.value = late.theirs
    stands({ revision: late.current_revision, saved_at: late.saved_at, saved_by: late.saved_by })
    state.value = JSON.stringify(done.document) === JSON.stringify(late.theirs) ? 'saved' : 'unsaved'
    told.merged(done.document, late.saved_by)
    draft()
  }
  /** Settle a conflict: each clash as decided, the rest by who changed it. */
  function decide(by: Settle): Job | null {
    const late = stale.value
    if (!late || !document.value) return null
    const next = origin.value ? merge(origin.value, document.value, late.theirs, by).document : document.value
    stale.value = null
    origin.value = late.theirs
    stands({ revision: late.current_revision, saved_at: late.saved_at, saved_by: late.saved_by })
    state.value = 'unsaved'
    return next
  }
  const stop = () => window.clearTimeout(timer)
  async function close() {
    closed = true
    stop()
    if (state.value === 'unsaved') await save()
  }
  return {
    revision,
    savedAt,
    savedBy,
    state,
    failure,
    refusals,
    stale,
    origin,
    stands,
    changed,
    draft,
    schedule,
    save,
    between,
    decide,
    stop,
    close,
  }
}
