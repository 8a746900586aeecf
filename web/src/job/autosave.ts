// Saves what was typed a moment later, on top of the revision it knows; keeps a draft until the server has acknowledged.
import { ref, shallowRef, type Ref } from 'vue'
import { api, ApiProblem, type Job, type JobOut, type Saved, type Stale } from '../api/client'
import { dropDraft, keepDraft } from './draft'

export type SaveState = 'saved' | 'unsaved' | 'saving' | 'offline' | 'refused' | 'conflict' | 'failed'
const SAVE_AFTER_MS = 700
const RETRY_AFTER_MS = 4000

/** `paused` says that nothing is to be saved now (a what-if is tried). */
export function createAutosave(id: string, document: Ref<Job | null>, paused: () => boolean) {
  const revision = ref(0)
  const savedAt = ref('')
  const savedBy = ref('')
  const state = ref<SaveState>('saved')
  const failure = ref('')
  const stale = shallowRef<Stale | null>(null)
  let timer = 0
  let saving: Promise<void> | null = null
  let closed = false

  function stands(at: Pick<JobOut, 'revision' | 'saved_at' | 'saved_by'>) {
    revision.value = at.revision
    savedAt.value = at.saved_at
    savedBy.value = at.saved_by
  }
  function draft() {
    if (!paused() && document.value) keepDraft(id, { base: revision.value, document: document.value })
  }
  function schedule(after = SAVE_AFTER_MS) {
    if (paused() || closed) return
    window.clearTimeout(timer)
    timer = window.setTimeout(() => void save(), after)
  }
  /** The document has changed: keep it here, and save it soon. */
  function changed() {
    if (paused()) return
    if (state.value !== 'conflict') state.value = 'unsaved'
    draft()
    schedule()
  }
  async function save(): Promise<void> {
    if (saving) await saving
    if (paused() || state.value === 'conflict' || state.value === 'saved' || !document.value) return
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
    stands(done)
    failure.value = ''
    if (document.value === sent) {
      state.value = 'saved'
      dropDraft(id)
    } else {
      state.value = 'unsaved'
      draft()
      schedule()
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
      timer = window.setTimeout(() => void save(), RETRY_AFTER_MS)
    } else state.value = 'failed'
  }
  const stop = () => window.clearTimeout(timer)
  async function close() {
    closed = true
    stop()
    if (state.value === 'unsaved') await save()
  }
  return { revision, savedAt, savedBy, state, failure, stale, stands, changed, schedule, save, stop, close }
}
