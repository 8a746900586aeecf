import type { Directive, DirectiveBinding } from 'vue'

/** The word of its column for each cell of a table, for narrow screens, where the head is not shown and a row is a block. */
function name(table: HTMLTableElement, { value: clear = [] }: DirectiveBinding<string[] | undefined>): void {
  table.dataset.stack = ''
  const words = [...(table.tHead?.rows[0]?.cells ?? [])].map((c) => {
    const word = c.querySelector('.visually-hidden') ? '' : (c.textContent?.trim() ?? '')
    return clear.includes(word) ? '' : word
  })
  for (const body of table.tBodies)
    for (const row of body.rows) {
      let at = 0
      for (const cell of row.cells) {
        cell.dataset.word = cell.colSpan > 1 || cell.tagName === 'TH' ? '' : (words[at] ?? '')
        at += cell.colSpan
      }
    }
}
/**
 * A table that stands row by row in blocks, nothing out of sight, where the screen is narrow. The value: columns that are clear
 * without their word.
 */
export const vStack: Directive<HTMLTableElement, string[] | undefined> = { mounted: name, updated: name }
