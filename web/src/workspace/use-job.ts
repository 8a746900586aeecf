// The open job: document, undo, autosave with conflict and offline handling, what-if, and its plan.
import { computed, inject, provide, ref, shallowRef, type InjectionKey } from 'vue'
import { api, ApiProblem, type Job, type Plan, type ProblemOut, type Saved, type Stale } from '../api/client'
import { read, write } from './pointer'

export type SaveState = 'saved' | 'unsaved' | 'saving' | 'offline' | 'refused' | 'conflict' | 'failed'
const PLAN_AFTER_MS = 60
const SAVE_AFTER_MS = 700
const RETRY_AFTER_MS = 4000
const TYPING_MS = 1500

interface Draft {
  base: number
  document: Job
}
const draftKey = (id: string) => `ewerer:draft:${id}`

function loadDraft(id: string): Draft | null {
  try {
    return JSON.parse(localStorage.getItem(draftKey(id)) ?? 'null') as Draft | null
  } catch {
    return null
  }
}

export function createJob(id: string) {
  const document = shallowRef<Job | null>(null)
  const plan = shallowRef<Plan | null>(null)
  const revision = ref(0)
  const savedAt = ref('')
  const savedBy = ref('')
  const state = ref<SaveState>('saved')
  const failure = ref('')
  const loading = ref(true)
  const loadError = shallowRef<ApiProblem | null>(null)
  const planning = ref(false)
  const problems = shallowRef<ProblemOut[]>([])
  const stale = shallowRef<Stale | null>(null)
  const whatIf = ref(false)
  const restored = ref(false)
  /** The pointer somebody was sent to last; views with tabs open the one that shows it. */
  const aim = ref('')
  const undoStack = shallowRef<Job[]>([])
  const redoStack = shallowRef<Job[]>([])
  let beforeWhatIf: Job | null = null
  let planRun = 0
  let planAbort: AbortController | null = null
  let planTimer = 0
  let saveTimer = 0
  let saving: Promise<void> | null = null
  let closed = false

  const problemAt = computed(() => new Map(problems.value.map((p) => [p.pointer, p])))

  function keepDraft() {
    if (whatIf.value || !document.value) return
    try {
      localStorage.setItem(draftKey(id), JSON.stringify({ base: revision.value, document: document.value }))
    } catch {
      /* A full or forbidden store only costs the draft; the save itself goes on. */
    }
  }
  const dropDraft = () => localStorage.removeItem(draftKey(id))

  async function open() {
    loading.value = true
    loadError.value = null
    try {
      const job = await api.job(id)
      revision.value = job.revision
      savedAt.value = job.saved_at
      savedBy.value = job.saved_by
      const draft = loadDraft(id)
      const differs = draft && JSON.stringify(draft.document) !== JSON.stringify(job.document)
      document.value = differs ? draft.document : (job.document as Job)
      if (differs) {
        restored.value = true
        revision.value = draft.base
        state.value = 'unsaved'
        scheduleSave(0)
      } else dropDraft()
      await makePlan()
    } catch (error) {
      if (error instanceof ApiProblem) loadError.value = error
      else throw error
    } finally {
      loading.value = false
    }
  }

  async function makePlan() {
    if (!document.value) return
    const run = ++planRun
    planAbort?.abort()
    planAbort = new AbortController()
    planning.value = true
    try {
      const made = await api.plan(document.value, planAbort.signal)
      if (run !== planRun) return
      plan.value = made
      problems.value = []
    } catch (error) {
      if (run !== planRun) return
      if (error instanceof ApiProblem) {
        if (error.status === 422) problems.value = error.problems
        else if (error.offline) state.value = state.value === 'saved' ? 'saved' : 'offline'
        else failure.value = error.message
        if (error.offline) planTimer = window.setTimeout(() => void makePlan(), RETRY_AFTER_MS)
      }
    } finally {
      if (run === planRun) planning.value = false
    }
  }

  function scheduleSave(after = SAVE_AFTER_MS) {
    if (whatIf.value || closed) return
    window.clearTimeout(saveTimer)
    saveTimer = window.setTimeout(() => void save(), after)
  }

  async function save(): Promise<void> {
    if (saving) await saving
    if (whatIf.value || state.value === 'conflict' || state.value === 'saved' || !document.value) return
    const sent = document.value
    state.value = 'saving'
    saving = api
      .saveJob(id, revision.value, sent)
      .then((done) => accept(done, sent))
      .catch((error: unknown) => reject(error))
      .finally(() => (saving = null))
    await saving
  }

  function accept(done: Saved, sent: Job) {
    revision.value = done.revision
    savedAt.value = done.saved_at
    savedBy.value = done.saved_by
    failure.value = ''
    if (document.value === sent) {
      state.value = 'saved'
      dropDraft()
    } else {
      state.value = 'unsaved'
      keepDraft()
      scheduleSave()
    }
  }

  function reject(error: unknown) {
    if (!(error instanceof ApiProblem)) throw error
    failure.value = error.message
    if (error.status === 409) {
      stale.value = error.body as unknown as Stale
      state.value = 'conflict'
    } else if (error.status === 422) state.value = 'refused'
    else if (error.offline) {
      state.value = 'offline'
      saveTimer = window.setTimeout(() => void save(), RETRY_AFTER_MS)
    } else state.value = 'failed'
  }

  function show(next: Job) {
    document.value = next
    if (!whatIf.value) {
      if (state.value !== 'conflict') state.value = 'unsaved'
      keepDraft()
      scheduleSave()
    }
    window.clearTimeout(planTimer)
    planTimer = window.setTimeout(() => void makePlan(), PLAN_AFTER_MS)
  }

  function replace(next: Job) {
    if (!document.value) return
    undoStack.value = [...undoStack.value.slice(-99), document.value]
    redoStack.value = []
    show(next)
  }
  const at = (pointer: string) => read(document.value, pointer)
  let lastSet = { pointer: '', at: 0 }
  function set(pointer: string, value: unknown) {
    if (!document.value || JSON.stringify(at(pointer)) === JSON.stringify(value)) return
    const next = write(document.value, pointer, value)
    // The keystrokes of one figure are one step of undo.
    if (lastSet.pointer === pointer && Date.now() - lastSet.at < TYPING_MS && undoStack.value.length) {
      redoStack.value = []
      show(next)
    } else replace(next)
    lastSet = { pointer, at: Date.now() }
  }
  /** Several places at once, as one step of undo. */
  function setAll(writes: [pointer: string, value: unknown][]) {
    if (!document.value) return
    replace(writes.reduce((doc, [pointer, value]) => write(doc, pointer, value), document.value))
  }
  function step(from: typeof undoStack, to: typeof undoStack) {
    const next = from.value.at(-1)
    if (!next || !document.value) return
    lastSet.pointer = ''
    from.value = from.value.slice(0, -1)
    to.value = [...to.value, document.value]
    show(next)
  }
  const undo = () => step(undoStack, redoStack)
  const redo = () => step(redoStack, undoStack)

  async function enterWhatIf() {
    window.clearTimeout(saveTimer)
    if (state.value === 'unsaved') await save()
    beforeWhatIf = document.value
    whatIf.value = true
  }
  /** Leave the what-if: keep its changes as an ordinary edit, or go back to where it began. */
  function leaveWhatIf(keep: boolean) {
    const tried = document.value
    whatIf.value = false
    if (!beforeWhatIf || !tried) return
    if (keep) {
      undoStack.value = [...undoStack.value, beforeWhatIf]
      show(tried)
    } else if (tried !== beforeWhatIf) {
      undoStack.value = []
      redoStack.value = []
      document.value = beforeWhatIf
      void makePlan()
    }
    beforeWhatIf = null
  }

  async function settleConflict(choice: 'mine' | 'theirs') {
    const late = stale.value
    if (!late) return
    stale.value = null
    revision.value = late.current_revision
    if (choice === 'theirs') {
      if (document.value) undoStack.value = [...undoStack.value, document.value]
      document.value = late.theirs as Job
      state.value = 'saved'
      dropDraft()
      await makePlan()
    } else {
      state.value = 'unsaved'
      await save()
    }
  }

  const backOnline = () => {
    if (state.value === 'offline') void save()
    void makePlan()
  }
  const warn = (event: BeforeUnloadEvent) => {
    if (whatIf.value || (state.value !== 'saved' && state.value !== 'offline')) event.preventDefault()
  }
  window.addEventListener('online', backOnline)
  window.addEventListener('beforeunload', warn)
  async function close() {
    closed = true
    window.removeEventListener('online', backOnline)
    window.removeEventListener('beforeunload', warn)
    window.clearTimeout(saveTimer)
    window.clearTimeout(planTimer)
    planAbort?.abort()
    if (state.value === 'unsaved') await save()
  }

  return {
    id,
    /** The document as it was before the what-if began, null outside one. */
    before: () => (whatIf.value ? beforeWhatIf : null),
    document,
    plan,
    revision,
    savedAt,
    savedBy,
    state,
    failure,
    loading,
    loadError,
    planning,
    problems,
    problemAt,
    stale,
    whatIf,
    restored,
    aim,
    canUndo: computed(() => undoStack.value.length > 0),
    canRedo: computed(() => redoStack.value.length > 0),
    open,
    close,
    save,
    at,
    set,
    setAll,
    replace,
    undo,
    redo,
    enterWhatIf,
    leaveWhatIf,
    settleConflict,
  }
}

export type OpenJob = ReturnType<typeof createJob>
const key: InjectionKey<OpenJob> = Symbol('open job')
export const provideJob = (job: OpenJob) => provide(key, job)
export function useJob(): OpenJob {
  const job = inject(key)
  if (!job) throw new Error('no job is open here')
  return job
}
