// What is typed while a dialog with a field is on its way belongs into that field.

const PATIENCE_MS = 12_000

export interface TypedAhead {
  /** A dialog was asked for. */
  begin: () => void
  /** Keep a key that was pressed before the field is there; says whether it was kept. */
  keeps: (event: KeyboardEvent) => boolean
  /** The field is there: what was typed so far, which is its text now. */
  take: () => string
}

export function typedAhead(): TypedAhead {
  let text: string | null = null
  let timer = 0
  const take = () => {
    window.clearTimeout(timer)
    const so = text ?? ''
    text = null
    return so
  }
  return {
    begin() {
      take()
      text = ''
      timer = window.setTimeout(take, PATIENCE_MS)
    },
    keeps(event) {
      if (text === null || event.ctrlKey || event.metaKey || event.altKey) return false
      if (event.key === 'Escape') {
        take()
        return false
      }
      if (event.key === 'Backspace') text = text.slice(0, -1)
      else if (event.key.length === 1) text += event.key
      else return false
      event.preventDefault()
      return true
    },
    take,
  }
}
