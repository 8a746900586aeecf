import { describe, expect, it } from 'vitest'
import { fitting } from '../src/job/words'
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

describe('words of sources', () => {
  it.each([
    ['Sun, bank, mains', ['sun', 'generator'], 'Sun, bank, generator'],
    ['Mains first', ['generator'], 'Generator first'],
    ['Mains first', ['mains', 'generator'], 'Mains first'],
    ['Mains first', ['sun'], 'Mains first'],
    ['Mains first', undefined, 'Mains first'],
  ])('%s at a site with %s', (said, sources, fit) => expect(fitting(said, sources)).toBe(fit))
})
