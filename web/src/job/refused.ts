// A refused figure never holds up the others: the document without what was refused.
import type { ProblemOut } from '../api/client'
import { read, write } from './pointer'

/** `mine` with every refused place as it stands in `origin`; null where that would not help. */
export function withoutRefused<T>(mine: T, origin: T, problems: Pick<ProblemOut, 'pointer'>[]): T | null {
  let out = mine
  for (const { pointer } of problems) {
    if (pointer === '') return null
    let at = pointer
    // A row that is new, or a key that must not be there, goes as a whole.
    while (at.split('/').length > 2 && read(out, at) === undefined && read(origin, at) === undefined)
      at = at.slice(0, at.lastIndexOf('/'))
    out = write(out, at, read(origin, at))
  }
  return JSON.stringify(out) === JSON.stringify(mine) ? null : out
}
