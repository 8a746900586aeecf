import { ref } from 'vue'
import { prefs, USUAL } from '../ui/prefs'
import { api, onSignedOut, setCsrf, type SessionOut } from '../api/client'

export const session = ref<SessionOut | null>(null)
/** The session ended while somebody was at work: signing in goes over the page, which stays. */
export const expired = ref(false)
const waiting = new Set<() => void>()
/** Call `act` when the same person has signed in again; returns how to forget it. */
export function onSignedInAgain(act: () => void) {
  waiting.add(act)
  return () => void waiting.delete(act)
}

export function accept(next: SessionOut) {
  session.value = next
  setCsrf(next.csrf)
  if (next.preferences) prefs.value = { ...USUAL, ...next.preferences }
}
let asking: Promise<void> | null = null
/** Ask who is signed in; whoever asks meanwhile waits for the same answer, for its token counts. */
export const refreshSession = () =>
  (asking ??= api
    .session()
    .then(accept)
    .finally(() => (asking = null)))
/** Somebody signed in over the page: go on, or begin anew where it is somebody else. */
export function acceptAgain(next: SessionOut) {
  const same = next.user === session.value?.user && next.crew === session.value?.crew
  accept(next)
  expired.value = false
  if (same) waiting.forEach((act) => act())
  else window.location.reload()
}
onSignedOut(() => {
  if (session.value?.signed_in) expired.value = true
  else void refreshSession()
})
