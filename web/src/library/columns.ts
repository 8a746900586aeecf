// Tables to type down a column: Enter goes to the field below, choices too; a column out of a spreadsheet is put in at once.
const NAMED = /^(.*?)-(\d+)-([a-z]+)$/

/** Go to the field below in the same column; returns its row, or -1 where there is none. */
export function downColumn(event: KeyboardEvent): number {
  const target = event.target as HTMLElement
  const found = NAMED.exec(target.id)
  if (!found || event.isComposing || target.getAttribute('aria-expanded') === 'true') return -1
  const [, stem, row, column] = found
  const next = document.getElementById(`${stem}-${Number(row) + 1}-${column}`)
  if (!next) return -1
  event.preventDefault()
  // A closed list goes down like any field; it opens by the arrow or a press.
  if (target.getAttribute('role') === 'combobox') event.stopPropagation()
  window.setTimeout(() => next.focus())
  return Number(row) + 1
}

/** Give the figures of a pasted column to `put`, from the row it is pasted into; anything else is pasted as usual. */
export function pastedColumn(event: ClipboardEvent, column: string, put: (from: number, values: number[]) => void): void {
  const found = NAMED.exec((event.target as HTMLElement).id)
  const lines = (event.clipboardData?.getData('text') ?? '').trim().split(/\r?\n/)
  if (found?.[3] !== column || lines.length < 2) return
  event.preventDefault()
  put(
    Number(found[2]),
    lines.map((l) => Number(/-?\d+(?:[.,]\d+)?/.exec(l)?.[0]?.replace(',', '.') ?? NaN)),
  )
}
