import { describe, expect, it } from 'vitest'
import { glossary, termAt } from '../src/ui/glossary'

describe('trade words where they stand', () => {
  const terms = new Map([
    ['sag', 'what load takes off'],
    ['closed loop', 'the BMS tells'],
    ['C', 'capacity'],
    ['rung', 'one threshold'],
  ])
  const at = (text: string, word: string) => termAt(text, text.indexOf(word) + 1, terms)?.[0]
  it.each([
    ['With sag under load', 'sag', 'sag'],
    ['Sags here', 'Sags', 'sag'],
    ['a closed loop counts', 'closed', 'closed loop'],
    ['0.2 C is a fifth', 'C', 'C'],
    ['message', 'sag', undefined],
    ['a cold one', 'cold', undefined],
    ['n-rung', 'rung', undefined],
  ])('%s: %s', (text, word, term) => expect(at(text, word)).toBe(term))
  it('knows the words of the trade', async () => expect((await glossary()).get('sag')).toContain('load'))
})
