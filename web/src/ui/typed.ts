// A verdict comes when a field is left, on Enter, or when it rests; never on each letter.
import { onBeforeUnmount, ref } from 'vue'
import type { OpenJob } from '../job/use-job'

export const REST_MS = 800
/** For a text that counts only when its field is left. */
export const NEVER_MS = 1e8
/** However long somebody types on: a text that counts by pauses counts at least so often. */
export const LONGEST_MS = 2_000

const LEFT_MS = 250

/** `act` is called when the text has rested or `now` is called; `settled` says that it has. */
export function useResting(act: () => void, job?: OpenJob, rest = REST_MS, longest = 0) {
  const settled = ref(true)
  let timer = 0
  let since = 0
  /** `leaving`: the verdict waits a moment, so that nothing moves away under the press that leaves the field. */
  function now(leaving = false) {
    window.clearTimeout(timer)
    since = 0
    act()
    if (leaving) timer = window.setTimeout(() => (settled.value = true), LEFT_MS)
    else settled.value = true
  }
  function touch() {
    settled.value = false
    since ||= Date.now()
    window.clearTimeout(timer)
    timer = window.setTimeout(() => now(), longest ? Math.max(0, Math.min(rest, since + longest - Date.now())) : rest)
  }
  const forget = job?.typed.onFlush(() => now())
  onBeforeUnmount(() => {
    now()
    forget?.()
  })
  return { settled, touch, now }
}
