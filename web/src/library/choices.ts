// Words of a display and what they mean, as the rows of a form and as a profile keeps them.
import type { QuantityOut } from '../api/client'
import type { ShownChoice } from './ChoiceRows.vue'
import { freeId } from './use-profile'

/** The rows of a setting's choices; a key that is only a name made of the word says nothing. */
export function shownChoices(choices: Record<string, string>, q: QuantityOut | undefined): ShownChoice[] {
  const known = new Set<string>([...(q?.choices ?? []).map(([k]) => k ?? ''), 'yes', 'no'])
  const free = q?.name === 'bms_protocol'
  return Object.entries(choices).map(([key, shown]) => ({
    shown,
    means: known.has(key) || (free && key !== freeId(shown, new Set())) ? key : '',
  }))
}
/** Choices as a profile keeps them: by what they mean, else by a name made of the word. */
export function choiceKeys(choices: ShownChoice[]): Record<string, string> | undefined {
  const out: Record<string, string> = {}
  const taken = new Set<unknown>(choices.map((c) => c.means).filter(Boolean))
  for (const c of choices) {
    const key = c.means || freeId(c.shown || 'word', taken)
    taken.add(key)
    out[key] = c.shown
  }
  return choices.length ? out : undefined
}
