/** Whether a text has every word of a query, in any order, whole or in part; an empty query has none to miss. */
export function hasWords(text: string, query: string): boolean {
  const all = text.toLowerCase()
  return query
    .toLowerCase()
    .split(/\s+/)
    .every((w) => all.includes(w))
}
