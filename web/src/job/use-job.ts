// The open job: its document, undo, autosave with conflict and offline handling, what-if, and its plan.
import { useQueryClient, type QueryClient } from '@tanstack/vue-query'
import { useEventListener } from '@vueuse/core'
import { computed, inject, provide, ref, shallowRef, watch, type InjectionKey } from 'vue'
import { api, ApiProblem, type Job, type Opening } from '../api/client'
import { createAutosave } from './autosave'
import { dropDraft, hasDraft, loadDraft, tab, tabs } from './draft'
import { createHistory } from './history'
import type { Settle } from './merge'
import { createPlanning } from './planning'
import { createTyped } from './typed'
import { createRecord } from '../record/use-record'
import type { Mark } from '../record/fold'
import { renamed, withName } from './rename'
import { session } from '../session/use-session'
import { differences, parts, read, write } from './pointer'

export type { SaveState } from './autosave'

const OPEN_WITHOUT_MS = 3000

/** `opened` is told what came with the job: the words of the screens. */
export function createJob(id: string, client: QueryClient = useQueryClient(), opened: (told: Opening) => void = () => undefined) {
  const document = shallowRef<Job | null>(null)
  const loading = ref(true)
  const loadError = shallowRef<ApiProblem | null>(null)
  const whatIf = ref(false)
  const restored = ref(false)
  /** The pointer somebody was sent to last; views with tabs open the one that shows it. */
  const aim = ref('')
  let beforeWhatIf: Job | null = null

  /** Who saved in between, after a merge that needed no question. */
  const mergedFrom = ref('')
  const typed = createTyped(() => saving.draft())
  const saving = createAutosave(id, document, {
    paused: () => whatIf.value,
    typed: () => typed.texts.value,
    merged(next, by) {
      if (document.value) history.note(document.value)
      document.value = next
      mergedFrom.value = by
      planning.soon()
    },
    saved: (revision) => among.say({ kind: 'saved', job: id, revision, tab: tab() }),
  })
  const among = tabs((news) => {
    if (news.kind === 'saved' && news.job === id && news.revision > saving.revision.value) void look()
  })
  const record = createRecord(id)
  /** The document with what its record says of the devices laid over it: what is planned, and what the sheets show. */
  const laid = computed<Job | null>(() => {
    const now = document.value
    if (!now) return null
    // In a what-if they stand in the document, to be played with.
    if (whatIf.value) return now
    const found = { ...now.as_found, ...record.state.value.found }
    const marks = { ...now.sheet_marks, ...record.marks.value }
    const out = { ...now } as Job
    if (Object.keys(found).length) out.as_found = found
    if (Object.keys(marks).length) out.sheet_marks = marks as Job['sheet_marks']
    return out
  })
  const planning = createPlanning(id, laid, () => saving.origin.value, client)
  const history = createHistory(id)
  let undoBefore = history.held()
  const problemAt = computed(() => new Map(planning.problems.value.map((p) => [p.pointer, p])))
  watch(planning.away, (away) => {
    if (away && saving.state.value !== 'saved') saving.state.value = 'offline'
  })

  async function open() {
    loading.value = true
    loadError.value = null
    try {
      const others = among.others()
      const known = record.begin()
      const recorded = known.then(record.sync)
      void recorded.catch(() => undefined) // it is waited for below, unless there is no such job
      const opening = await api.opening(id)
      const { job } = opening
      opened(opening)
      saving.stands(job)
      saving.origin.value = job.document
      const draft = hasDraft(id) ? loadDraft(id, await others) : null
      const differs = draft && JSON.stringify(draft.document) !== JSON.stringify(job.document)
      document.value = differs ? draft.document : job.document
      if (draft) typed.take(draft.typed ?? {})
      restored.value = !!differs || !!Object.keys(typed.texts.value).length
      if (differs) {
        saving.revision.value = draft.base
        // Without what it was made from, a merge would not know whose each difference is: the server's answer decides.
        saving.origin.value = draft.base === job.revision ? job.document : (draft.origin ?? null)
        saving.state.value = 'unsaved'
        saving.schedule(0)
      } else if (!restored.value) dropDraft(id)
      history.take(document.value)
      const { plan, events, at } = opening
      // Where the server knows of nothing done, what this device may still have to tell follows by itself, as what others noted does.
      const same = !differs && plan && (!events || (await known, record.stands(events)))
      if (!same && !(await known)) await recorded
      // Without a network there is no new plan; the stages open all the same, and it is asked for again by itself.
      if (plan) await planning.take(plan, at, !!same)
      if (!same) await Promise.race([planning.make(), new Promise((go) => setTimeout(go, OPEN_WITHOUT_MS))])
    } catch (error) {
      if (error instanceof ApiProblem) loadError.value = error
      else throw error
    } finally {
      loading.value = false
    }
    // Who only reads plays with a what-if that nobody can keep.
    if (session.value?.role === 'reader' && document.value && !whatIf.value) await enterWhatIf()
  }

  function show(next: Job) {
    const name = document.value && renamed(document.value, next)
    if (name && !whatIf.value) record.rename(name.from, name.to)
    document.value = name ? withName(next, name.from, name.to) : next
    saving.changed()
    planning.soon()
    if (!whatIf.value) history.keep(document.value)
  }
  /** See whether somebody else has saved; take it over, or merge it with what is typed here. */
  async function look() {
    if (loading.value || !document.value || whatIf.value || saving.state.value === 'conflict' || saving.state.value === 'saving')
      return
    let now
    try {
      now = await api.job(id)
    } catch (error) {
      if (error instanceof ApiProblem) return
      throw error
    }
    if (now.revision <= saving.revision.value || !document.value) return
    if (saving.state.value !== 'saved') return void saving.save()
    saving.between({ ...now, current_revision: now.revision, theirs: now.document, yours: document.value } as never)
  }
  function change(next: Job, pointer = '') {
    if (!document.value) return
    history.note(document.value, pointer)
    show(next)
  }
  const replace = (next: Job) => change(next)
  const at = (pointer: string) => read(laid.value, pointer)
  // Found values and marks are told as events; nothing of them stands in the document. A what-if only plays with them.
  function told(pointer: string, value: unknown): boolean {
    const [head, device, key] = parts(pointer)
    if (whatIf.value || !device || (head !== 'as_found' && head !== 'sheet_marks')) return false
    if (head === 'sheet_marks' && key !== undefined) record.writeMark(device, key, value as Mark | undefined)
    else if (head === 'as_found') {
      const now = { ...record.state.value.found[device] }
      if (key === undefined) record.writeFound(device, (value as Record<string, string> | undefined) ?? {})
      else {
        delete now[key]
        record.writeFound(device, value === undefined ? now : { ...now, [key]: value as string })
      }
    }
    return true
  }
  const said = computed(() => JSON.stringify([record.state.value.found, record.marks.value]))
  watch(said, () => planning.asked.value && planning.soon())
  function set(pointer: string, value: unknown) {
    if (!document.value || JSON.stringify(at(pointer)) === JSON.stringify(value)) return
    if (told(pointer, value)) return
    change(write(document.value, pointer, value), pointer)
  }
  /** Several places at once, as one step of undo. */
  /** The list of a pointer with one entry taken out. */
  const without = (pointer: string, index: number): unknown[] => {
    const list = at(pointer)
    return Array.isArray(list) ? list.filter((_, i) => i !== index) : []
  }
  const drop = (pointer: string, index: number) => set(pointer, without(pointer, index))
  function setAll(writes: [pointer: string, value: unknown][]) {
    if (!document.value) return
    change(writes.reduce((doc, [pointer, value]) => write(doc, pointer, value), document.value))
  }
  /** The places that differ between the document and another. */
  const placesOf = (other: Job | null): string[] =>
    other && document.value ? differences(document.value, other).filter((p) => !p.startsWith('/ewerer')) : []
  /** Take the last change back; the place it was at, to go there. */
  function turnTo(step: (now: Job) => Job | null): string {
    typed.flush()
    const before = document.value
    const next = before && step(before)
    if (!next) return ''
    const [first = ''] = placesOf(next)
    show(next)
    return first
  }
  const undo = () => turnTo(history.undo)
  const redo = () => turnTo(history.redo)

  async function enterWhatIf() {
    typed.flush()
    saving.stop()
    if (saving.state.value === 'unsaved') await saving.save()
    beforeWhatIf = document.value
    undoBefore = history.held()
    document.value = laid.value
    whatIf.value = true
  }
  /** Leave the what-if: keep its changes as an ordinary edit, or go back to where it began. */
  function leaveWhatIf(keep: boolean) {
    const tried = document.value
    whatIf.value = false
    if (!beforeWhatIf || !tried) return
    if (keep) {
      const { as_found, sheet_marks, ...rest } = tried
      for (const [device, shown] of Object.entries(as_found ?? {})) record.writeFound(device, shown)
      for (const [device, marks] of Object.entries(sheet_marks ?? {}))
        for (const [key, mark] of Object.entries(marks)) record.writeMark(device, key, mark as Mark)
      history.note(beforeWhatIf)
      show(rest as Job)
    } else if (tried !== beforeWhatIf) {
      history.putBack(undoBefore)
      document.value = beforeWhatIf
      void planning.make()
    }
    beforeWhatIf = null
  }

  /** Settle what both changed: mine or theirs for all, or one by one. */
  async function settleConflict(choice: 'mine' | 'theirs' | Settle) {
    const late = saving.stale.value
    const before = document.value
    if (!late || !before) return
    if (choice === 'theirs') {
      history.note(before)
      saving.decide(() => 'theirs')
      document.value = late.theirs
      saving.state.value = 'saved'
      dropDraft(id)
      await planning.make()
      return
    }
    const next = saving.decide(typeof choice === 'function' ? choice : () => 'mine')
    if (next && next !== before) {
      history.note(before)
      show(next)
    }
    await saving.save()
  }

  const listening = [
    useEventListener(window, 'online', () => {
      if (saving.state.value === 'offline') void saving.save()
      planning.again()
    }),
    useEventListener(window, 'beforeunload', (event: BeforeUnloadEvent) => {
      typed.flush()
      // Everything typed stands in the draft; only what is tried in a what-if would be gone.
      if (whatIf.value && session.value?.role !== 'reader') event.preventDefault()
    }),
    useEventListener(window, 'focus', () => void look()),
  ]
  async function close() {
    typed.flush()
    among.close()
    listening.forEach((stop) => stop())
    planning.stop()
    record.close()
    await saving.close()
  }

  return {
    id,
    /** The document as it was before the what-if began, null outside one. */
    before: () => (whatIf.value ? beforeWhatIf : null),
    document,
    laid,
    record,
    plan: planning.plan,
    turn: planning.turn,
    planned: planning.asked,
    planning: planning.planning,
    planState: planning.state,
    planMadeAt: planning.madeAt,
    planFailure: planning.failure,
    planAway: planning.away,
    planAgain: planning.again,
    problems: planning.problems,
    problemAt,
    revision: saving.revision,
    savedAt: saving.savedAt,
    savedBy: saving.savedBy,
    state: saving.state,
    failure: saving.failure,
    refusals: saving.refusals,
    mergedFrom,
    typed,
    look,
    origin: saving.origin,
    stale: saving.stale,
    loading,
    loadError,
    whatIf,
    restored,
    aim,
    /** The place that undo or redo would change; empty where there is none. */
    undoAt: computed(() => placesOf(history.before.value)[0] ?? ''),
    redoAt: computed(() => placesOf(history.after.value)[0] ?? ''),
    canUndo: history.canUndo,
    canRedo: history.canRedo,
    open,
    close,
    /** Save now, half-typed fields that can be read included. */
    save: async () => {
      typed.flush()
      await saving.save()
    },
    at,
    set,
    setAll,
    without,
    drop,
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
/** The open job where there is one. */
export const jobOrNone = (): OpenJob | undefined => inject(key, undefined)
export function useJob(): OpenJob {
  const job = inject(key)
  if (!job) throw new Error('no job is open here')
  return job
}
