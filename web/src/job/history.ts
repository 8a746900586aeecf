// Undo and redo of a document that is never changed in place; survives a reload of its tab.
import { computed, shallowRef } from 'vue'
import type { Job } from '../api/client'
import * as storage from '../ui/kept'

const MOST = 100
const KEPT = 12
const TYPING_MS = 1500
const key = (id: string) => `ewerer:undo:${id}`

export function createHistory<T extends object = Job>(id = '') {
  const undone = shallowRef<T[]>([])
  const done = shallowRef<T[]>([])
  let last = { pointer: '', at: 0 }

  /** Note the document as it was before a change; the keystrokes of one figure are one step. */
  function note(before: T, pointer = '') {
    const typing = pointer !== '' && last.pointer === pointer && Date.now() - last.at < TYPING_MS && done.value.length > 0
    if (!typing) done.value = [...done.value.slice(1 - MOST), before]
    undone.value = []
    last = { pointer, at: Date.now() }
  }
  function step(from: typeof done, to: typeof done, now: T): T | null {
    const next = from.value.at(-1)
    if (!next) return null
    last.pointer = ''
    from.value = from.value.slice(0, -1)
    to.value = [...to.value, now]
    return next
  }
  /** Kept for this tab, beside the document it belongs to. */
  function keep(now: T) {
    storage.keep(sessionStorage, key(id), { now, done: done.value.slice(-KEPT), undone: undone.value.slice(-KEPT) })
  }
  /** Take up what was kept, if it belongs to the document as it is. */
  function take(now: T) {
    const held = storage.kept<{ now: T; done: T[]; undone: T[] }>(sessionStorage, key(id))
    if (!held || JSON.stringify(held.now) !== JSON.stringify(now)) return
    done.value = held.done
    undone.value = held.undone
  }
  return {
    note,
    /** The document before the last change, null where there is none. */
    undo: (now: T) => step(done, undone, now),
    redo: (now: T) => step(undone, done, now),
    clear() {
      done.value = []
      undone.value = []
    },
    /** What can be undone and redone now; `putBack` makes it so again. */
    held: () => ({ done: done.value, undone: undone.value }),
    putBack(held: { done: T[]; undone: T[] }) {
      done.value = held.done
      undone.value = held.undone
    },
    keep,
    take,
    before: computed(() => done.value.at(-1) ?? null),
    after: computed(() => undone.value.at(-1) ?? null),
    canUndo: computed(() => done.value.length > 0),
    canRedo: computed(() => undone.value.length > 0),
  }
}
