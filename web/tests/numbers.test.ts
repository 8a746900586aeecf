// @ts-expect-error Node's own module, without its types here
import { readFileSync } from 'node:fs'
import { describe, expect, it } from 'vitest'
import { readNumber, type Wanted } from '../src/ui/numbers'

interface Row {
  text: string
  unit: string
  expected: number | number[] | string | null
  options: Wanted
}
// Written by `make test` from tests/numbers.py, which Python is held to as well.
const rows = JSON.parse(readFileSync('../var/numbers.json', 'utf-8')) as Row[]

describe('the table of numbers that both sides read alike', () => {
  it.each(rows.map((r) => [r.text, r.unit, r] as const))('%j in %s', (_, __, row) => {
    const said = readNumber(row.text, row.unit, row.options)
    if (row.expected === null) expect(said).toEqual({})
    else if (row.expected === 'refused') expect(said.refused).toBeTruthy()
    else if (Array.isArray(row.expected)) expect(said).toEqual({ ask: row.expected })
    else expect(said).toEqual({ value: row.expected })
  })
  it('is long enough', () => expect(rows.length).toBeGreaterThanOrEqual(120))
})

it('every beginning of a figure reads as a number while it is typed', () => {
  for (let n = 0; n < 4000; n++) {
    const figure = (Math.random() * 10 ** (n % 6)).toFixed(n % 4)
    for (let at = 1; at <= figure.length; at++) {
      const said = readNumber(figure.slice(0, at), 'V')
      expect(said.value, figure.slice(0, at)).toBe(Number(figure.slice(0, at)))
    }
  }
})
