// Which folded parts a person has opened or closed, kept on this device; '*' opens all.
import { useLocalStorage } from '@vueuse/core'
import { computed, type WritableComputedRef } from 'vue'

const held = useLocalStorage<Record<string, boolean>>('ewerer:folds', {})

/** Whether the part `name` is open; `begins` counts until somebody says otherwise. */
export function useFold(name: string, begins = false): WritableComputedRef<boolean> {
  return computed({
    get: () => held.value[name] ?? held.value['*'] ?? begins,
    set: (open) => {
      if (open !== (held.value[name] ?? held.value['*'] ?? begins)) held.value = { ...held.value, [name]: open }
    },
  })
}
