// The last answer that came, kept while the next is on its way and when it fails.
import { shallowRef, watch, type Ref } from 'vue'

export function lastGood<T>(told: { data: Ref<T | undefined>; isPlaceholderData: Ref<boolean> }): Ref<T | null> {
  const held = shallowRef<T | null>(null)
  watch(
    told.data,
    (now) => {
      if (now !== undefined && !told.isPlaceholderData.value) held.value = now
    },
    { immediate: true },
  )
  return held
}
