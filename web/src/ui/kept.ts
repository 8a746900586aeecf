// Plain data kept in the browser. A store that is full, forbidden or holds something else costs what is kept there, and nothing more.
export function keep(store: Storage, key: string, value: unknown) {
  try {
    store.setItem(key, JSON.stringify(value))
  } catch {
    /* What was kept there before stays. */
  }
}
export function kept<T>(store: Storage, key: string): T | null {
  try {
    return JSON.parse(store.getItem(key) ?? 'null') as T | null
  } catch {
    return null
  }
}
