/** Whether a text has every word of a query, in any order, whole or in part; an empty query has none to miss. */
export function hasWords(text: string, query: string): boolean {
  const all = text.toLowerCase()
  return query
    .toLowerCase()
    .split(/\s+/)
    .every((w) => all.includes(w))
}
/** A number with its noun: 1 note, 8 notes. */
export const counted = (n: number, word: string): string => `${n} ${word}${n === 1 ? '' : 's'}`
