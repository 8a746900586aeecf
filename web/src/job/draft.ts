// What is typed and not yet acknowledged by the server stays on this device.
import type { Job } from '../api/client'

export interface Draft {
  base: number
  document: Job
}
const key = (id: string) => `ewerer:draft:${id}`

export function loadDraft(id: string): Draft | null {
  try {
    return JSON.parse(localStorage.getItem(key(id)) ?? 'null') as Draft | null
  } catch {
    return null
  }
}
export function keepDraft(id: string, draft: Draft) {
  try {
    localStorage.setItem(key(id), JSON.stringify(draft))
  } catch {
    /* A full or forbidden store only costs the draft; the save itself goes on. */
  }
}
export const dropDraft = (id: string) => localStorage.removeItem(key(id))
