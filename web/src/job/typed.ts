// What stands in fields and does not count yet: half-typed texts by their place, and who must finish before something else begins.
import { shallowRef } from 'vue'

export function createTyped(changed: () => void) {
  const texts = shallowRef<Record<string, string>>({})
  const flushers = new Set<() => void>()
  return {
    texts,
    at: (place: string): string | undefined => texts.value[place],
    keep(place: string, text: string) {
      texts.value = { ...texts.value, [place]: text }
      changed()
    },
    done(place: string) {
      if (!(place in texts.value)) return
      texts.value = Object.fromEntries(Object.entries(texts.value).filter(([at]) => at !== place))
      changed()
    },
    take(held: Record<string, string>) {
      texts.value = held
    },
    /** Call `act` when everything typed must count now; returns how to forget it. */
    onFlush(act: () => void) {
      flushers.add(act)
      return () => void flushers.delete(act)
    },
    flush: () => [...flushers].forEach((act) => act()),
  }
}
