import { describe, expect, it } from 'vitest'
import { blank, fieldsOf, kindOf, listOf, listText, resolve, schemaOf, wordOf, type Node } from '../src/library/schema-form'

const root: Node = {
  anyOf: [{ $ref: '#/$defs/Battery' }, { $ref: '#/$defs/Machine' }],
  $defs: {
    Battery: {
      type: 'object',
      required: ['ewerer', 'cells', 'limits', 'links'],
      properties: {
        ewerer: { const: 'battery/1' },
        cells: { type: 'integer', minimum: 4 },
        limits: { $ref: '#/$defs/Limits' },
        links: { type: 'array', items: { $ref: '#/$defs/Link' }, minItems: 1 },
        note: { anyOf: [{ type: 'string' }, { type: 'null' }], description: 'anything' },
      },
    },
    Machine: {
      type: 'object',
      required: ['ewerer'],
      properties: { ewerer: { const: 'machine/1' }, steps: { type: 'array', items: { type: 'number' } } },
    },
    Limits: { type: 'object', required: ['charge_a'], properties: { charge_a: { type: 'number', minimum: 0 } } },
    Link: {
      type: 'object',
      required: ['layer', 'on'],
      properties: {
        layer: { enum: ['can', 'serial'] },
        on: { type: 'boolean' },
        rate: { anyOf: [{ type: 'integer' }, { type: 'null' }] },
      },
    },
    Named: { type: 'object', additionalProperties: { type: 'string' } },
  },
}
const battery = schemaOf(root, 'battery/1')
const field = (name: string) => Object.fromEntries(fieldsOf(root, battery))[name] as Node

describe('forms made from a schema', () => {
  it('find the branch of a tag, and nothing for an unknown one', () => {
    expect(fieldsOf(root, battery).map(([k]) => k)).toEqual(['ewerer', 'cells', 'limits', 'links', 'note'])
    expect(schemaOf(root, 'ship/1')).toEqual({})
  })
  it('tell kinds of control apart', () => {
    const link = Object.fromEntries(fieldsOf(root, { $ref: '#/$defs/Link' }))
    expect([kindOf(root, field('ewerer')), kindOf(root, field('cells')), kindOf(root, field('limits'))]).toEqual([
      'fixed',
      'number',
      'object',
    ])
    expect([kindOf(root, field('links')), kindOf(root, field('note'))]).toEqual(['list', 'text'])
    expect(kindOf(root, link.layer as Node)).toBe('choice')
    expect(kindOf(root, link.on as Node)).toBe('switch')
    expect(kindOf(root, link.rate as Node)).toBe('number')
    expect(kindOf(root, { $ref: '#/$defs/Named' })).toBe('map')
    expect(kindOf(root, { type: 'array', items: { type: 'number' } })).toBe('lines')
  })
  it('keep the outer description and end on a schema that turns in a circle', () => {
    expect(resolve(root, field('note'))).toMatchObject({ type: 'string', description: 'anything' })
    const circle: Node = { $defs: { A: { $ref: '#/$defs/A' } } }
    expect(kindOf(circle, { $ref: '#/$defs/A' })).toBe('text')
  })
  it('start a new element with only what must stand there', () => {
    expect(blank(root, battery)).toEqual({
      ewerer: 'battery/1',
      cells: 4,
      limits: { charge_a: 0 },
      links: [{ layer: 'can', on: false }],
    })
  })
  it('read and show simple lists', () => {
    const numbers: Node = { type: 'number' }
    expect(listOf('1, 2.5,3', root, numbers)).toEqual([1, 2.5, 3])
    expect(listOf('Setup > Bank', root, { type: 'string' })).toEqual(['Setup', 'Bank'])
    // What is not a number stays as typed, so that the check can say where and why.
    expect(listOf('1, two', root, numbers)).toEqual([1, 'two'])
    expect(listOf('', root, numbers)).toEqual([])
    expect(listText(listOf('1, 2.5', root, numbers), ', ')).toBe('1, 2.5')
    expect(listText(undefined, ', ')).toBe('')
  })
  it('word a key with its unit', () => {
    expect(wordOf('charge_a')).toBe('Charge, A')
    expect(wordOf('resistance_mohm')).toBe('Resistance, mΩ')
    expect(wordOf('series_cells')).toBe('Series cells')
  })
})
