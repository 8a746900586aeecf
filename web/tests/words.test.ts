import { describe, expect, it } from 'vitest'
import { hasWords } from '../src/ui/words'

describe('a text with the words of a query', () => {
  it.each([
    ['Boathouse 3 at the mole', 'mole boat', true],
    ['Boathouse 3', 'boathouse 4', false],
    ['Boathouse 3', '', true],
    ['Boathouse 3', '   ', true],
    ['Boathouse 3', ' HOUSE  3 ', true],
  ])('%s, %s', (text, query, found) => expect(hasWords(text, query)).toBe(found))
})
