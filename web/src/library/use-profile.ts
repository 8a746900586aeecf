// The profile in the making: its draft on this device, undo, check, save, and what to do when somebody saved in between.
import { useQueryClient } from '@tanstack/vue-query'
import { computed, ref, shallowRef, watch } from 'vue'
import { api, ApiProblem, type Lack, type ProfileProblem } from '../api/client'
import { tab } from '../job/draft'
import { createHistory } from '../job/history'
import { merge, type Clash } from '../job/merge'
import { read, write } from '../job/pointer'
import * as storage from '../ui/kept'

export type Profile = Record<string, unknown>
interface Kept {
  document: Profile
  stored: Profile | null
  base: number
}
const CHECK_AFTER_MS = 250
const key = (id: string) => `ewerer:profile:${id || 'new'}:${tab()}`
const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b)

/** A short name for documents out of a name for people. */
export const idFrom = (name: string): string =>
  name
    .normalize('NFKD')
    .replace(/[\u0300-\u036f]/g, '')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '')
    .slice(0, 40)

/** A short name that is not taken: the text's own, else with a number. */
export function freeId(text: string, taken: Set<unknown>): string {
  const stem = idFrom(text).slice(0, 36) || 'setting'
  for (let n = 1; ; n++) {
    const id = n === 1 ? stem : `${stem}-${n}`
    if (!taken.has(id)) return id
  }
}

export function createProfile() {
  const client = useQueryClient()
  const draft = shallowRef<Profile | null>(null)
  const stored = shallowRef<Profile | null>(null)
  const base = ref(0)
  const fresh = ref(false)
  const restored = ref(false)
  const problems = shallowRef<ProfileProblem[]>([])
  const lacking = shallowRef<Lack[]>([])
  const about = ref('')
  const saying = ref('')
  const failure = shallowRef<ApiProblem | null>(null)
  const clashes = shallowRef<Clash[]>([])
  let theirs: { document: Profile; revision: number } | null = null
  const history = createHistory<Profile>('profile')
  const dirty = computed(() => draft.value !== null && !same(draft.value, stored.value))
  const idOf = () => (fresh.value ? '' : String(draft.value?.id ?? ''))

  function show(next: Profile | null) {
    draft.value = next
    if (!next) return
    if (dirty.value) {
      saying.value = ''
      storage.keep(localStorage, key(idOf()), { document: next, stored: stored.value, base: base.value } satisfies Kept)
    } else localStorage.removeItem(key(idOf()))
  }
  const kept = (id: string) => storage.kept<Kept>(localStorage, key(id))
  function change(next: Profile, pointer = '') {
    if (!draft.value) return
    history.note(draft.value, pointer)
    show(next)
  }
  const set = (pointer: string, value: unknown) => draft.value && change(write(draft.value, pointer, value), pointer)
  const setAll = (writes: [string, unknown][]) =>
    draft.value && change(writes.reduce((doc, [p, v]) => write(doc, p, v), draft.value))
  function turn(step: typeof history.undo) {
    const next = draft.value && step(draft.value)
    if (next) show(next)
  }

  async function open(id: string) {
    history.clear()
    clashes.value = []
    saying.value = ''
    restored.value = false
    fresh.value = false
    draft.value = null
    if (!id) return
    try {
      const document = await api.profile(id)
      stored.value = document
      base.value = Number(document.revision ?? 1)
      const held = kept(id)
      restored.value = !!held && !same(held.document, document)
      if (held && restored.value) {
        base.value = held.base
        stored.value = held.stored ?? document
      }
      show(restored.value && held ? held.document : document)
    } catch (error) {
      if (error instanceof ApiProblem) failure.value = error
      else throw error
    }
  }
  /** A new profile, or the one that was begun and not saved. */
  function begin(document: Profile | null) {
    history.clear()
    clashes.value = []
    saying.value = ''
    fresh.value = true
    stored.value = null
    base.value = 0
    const held = document ? null : kept('')
    restored.value = !!held
    show(document ?? held?.document ?? null)
  }
  function forget() {
    localStorage.removeItem(key(idOf()))
    draft.value = stored.value
    restored.value = false
  }
  const unsaved = () => !!kept('')

  let round = 0
  watch(draft, async (now) => {
    const mine = ++round
    if (!now) return
    await new Promise((r) => setTimeout(r, CHECK_AFTER_MS))
    if (mine !== round) return
    try {
      const told = await api.checkProfile(now)
      if (mine !== round) return
      problems.value = told.problems
      about.value = told.about
      lacking.value = told.problems.length ? [] : await api.lacksOf(now)
    } catch (error) {
      if (!(error instanceof ApiProblem)) throw error
    }
  })

  async function save(): Promise<string> {
    const mine = draft.value
    if (!mine) return ''
    failure.value = null
    try {
      const made = fresh.value ? await api.createProfile(mine) : await api.saveProfile(String(mine.id), base.value, mine)
      localStorage.removeItem(key(idOf()))
      await client.invalidateQueries({ queryKey: ['library'] })
      fresh.value = false
      stored.value = { ...mine, revision: made.revision }
      base.value = made.revision
      if (draft.value === mine) show(stored.value)
      restored.value = false
      saying.value = `Saved as version ${made.revision}.`
      return made.id
    } catch (error) {
      if (!(error instanceof ApiProblem)) throw error
      if (error.status === 409) between(error.body as unknown as { theirs: Profile; current_revision: number })
      else failure.value = error
      return ''
    }
  }
  const bare = (p: Profile | null): Profile => Object.fromEntries(Object.entries(p ?? {}).filter(([k]) => k !== 'revision'))
  /** Somebody saved a version in between: what only one changed is put together, what both changed is asked. */
  function between(late: { theirs: Profile; current_revision: number }) {
    theirs = { document: late.theirs, revision: late.current_revision }
    const done = merge(bare(stored.value), bare(draft.value), bare(late.theirs))
    clashes.value = done.clashes
    if (!done.clashes.length) adopt(done.document, 'Somebody saved in between: both changes are here now; save once more.')
  }
  function adopt(next: Profile, words: string) {
    if (!theirs) return
    if (draft.value) history.note(draft.value)
    stored.value = theirs.document
    base.value = theirs.revision
    show({ ...next, revision: theirs.revision })
    saying.value = words
    clashes.value = []
  }
  function settle(taken: Record<string, 'mine' | 'theirs'>) {
    if (!theirs) return
    const done = merge(bare(stored.value), bare(draft.value), bare(theirs.document), (c) => taken[c.key] ?? 'mine')
    adopt(done.document, 'Put together; save once more.')
  }

  return {
    draft,
    stored,
    base,
    fresh,
    restored,
    problems,
    lacking,
    about,
    saying,
    failure,
    clashes,
    theirs: () => theirs?.document,
    dirty,
    canUndo: history.canUndo,
    canRedo: history.canRedo,
    undo: () => turn(history.undo),
    redo: () => turn(history.redo),
    at: (pointer: string) => read(draft.value, pointer),
    set,
    setAll,
    change,
    open,
    begin,
    forget,
    unsaved,
    save,
    settle,
  }
}
export type OpenProfile = ReturnType<typeof createProfile>
