// A page that was opened once is kept for a day without a network: its built files, and the answers it asked for before the
// worker that keeps them was there.
import { onScopeDispose, ref, watch, type Ref } from 'vue'

const KEPT =
  /^\/api\/(session|stages|fields|quantities|symptoms|instruments|jobs|jobs\/[0-9a-f-]+(\/(opening|run|record))?|library.*)$/
const CACHE = 'answers'

/** Whether this page would open again without a network. It looks again whenever `turn` changes, a moment after. */
export function useReady(turn: Ref<unknown>): Ref<boolean> {
  const ready = ref(false)
  let ended = false
  async function keep() {
    if (!('serviceWorker' in navigator) || !('caches' in window)) return
    await navigator.serviceWorker.ready
    if (!navigator.serviceWorker.controller)
      await new Promise((resolve) => navigator.serviceWorker.addEventListener('controllerchange', resolve, { once: true }))
    const asked = performance
      .getEntriesByType('resource')
      .map((e) => new URL(e.name))
      .filter((u) => u.origin === window.location.origin && KEPT.test(u.pathname))
    const held = await caches.open(CACHE)
    for (const url of new Set(asked.map((u) => u.href))) {
      if (ended) return
      // Through the worker, which keeps what it passes on.
      if (!(await held.match(url))) await fetch(url, { headers: { Accept: 'application/json' } })
    }
    ready.value = true
  }
  const stop = watch(turn, () => void keep().catch(() => undefined), { immediate: true })
  onScopeDispose(() => {
    ended = true
    stop()
  })
  return ready
}
