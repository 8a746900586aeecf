import { beforeEach, describe, expect, it } from 'vitest'
import { learnFields } from '../src/job/words'
import { columnsOf, readRows } from '../src/ui/rows'

const field = (pointer: string, label: string, more: object = {}) => ({
  pointer,
  label,
  stage: 'bank',
  unit: '',
  scale: 1,
  choices: [],
  default: '',
  whole: false,
  ...more,
})
beforeEach(() =>
  learnFields([
    field('/bank/modules/*/id', 'Name of the module'),
    field('/bank/modules/*/resting_v', 'Resting volts', { unit: 'V', low: 1, high: 1500 }),
    field('/bank/modules/*/health', 'Health', { unit: '%', scale: 100, low: 0.1, high: 1 }),
    field('/bank/modules/*/serial', 'Serial number'),
    field('/bank/modules/*/chemistry', 'Chemistry', {
      choices: [
        { value: 'lfp', word: 'lithium iron phosphate' },
        { value: 'nmc', word: 'lithium NMC' },
      ],
    }),
    field('/tariff/prices/*/from', 'From'),
    field('/tariff/prices/*/to', 'To'),
    field('/tariff/prices/*/price', 'Bought, a kWh', { low: -10, high: 100 }),
  ]),
)
const modules = () => columnsOf('/bank/modules', ['id', 'resting_v', 'health', 'serial', 'chemistry'], ['id', 'serial'])
const held = [
  { id: 'M1', profile: 'p', resting_v: 53 },
  { id: 'M2', profile: 'p' },
]
const read = (text: string, most = 64) => readRows(text, '/bank/modules', modules(), held, { most, fresh: { profile: 'p' } })

describe('rows of a spreadsheet', () => {
  it('finds columns by their names in any order, rows by their id, and keeps what was not pasted', () => {
    const got = read('Serial number\tName of the module\tresting volts [V]\nA-7\tM2\t53,02\nA-8\tM9\t53.04 V')
    expect(got.list).toEqual([
      held[0],
      { ...held[1], serial: 'A-7', resting_v: 53.02 },
      { id: 'M9', profile: 'p', serial: 'A-8', resting_v: 53.04 },
    ])
    expect([got.changed, got.added, got.refused]).toEqual([1, 1, []])
  })
  it('reads choices by word or value and percent as fractions; commas divide where nothing else does', () => {
    const got = read('id,health,chemistry\nM1,95,Lithium NMC\nM2,80 %,lfp')
    expect(got.list.map((r) => [r.health, r.chemistry])).toEqual([
      [0.95, 'nmc'],
      [0.8, 'lfp'],
    ])
  })
  it('refuses a cell with its place and what would be right, and takes the other rows', () => {
    const got = read('id\tresting_v\tchemistry\nM1\t9000\tlfp\nM2\t53\tmud\nM3\t53\tlfp')
    expect(got.refused.map((r) => [r.row, r.column, r.text])).toEqual([
      [1, 'Resting volts', '9000'],
      [2, 'Chemistry', 'mud'],
    ])
    expect(got.list.length).toBe(3)
    expect(got.list[0]).toEqual(held[0])
  })
  it('goes by place without names, and adds none then', () => {
    const got = read('Resting volts\n53.1\n53.2\n53.3')
    expect(got.list.map((r) => r.resting_v)).toEqual([53.1, 53.2])
    expect(got.refused[0]?.why).toMatch(/Name of the module/)
  })
  it('says what is wrong with the whole: no names, a name twice, too many rows, one row twice', () => {
    expect(read('53.1\n53.2').failure).toMatch(/first line names/)
    expect(read('id\tid\nM1\tM1').failure).toMatch(/two columns/)
    expect(read('id\nM5\nM6', 3).refused[0]?.why).toBe('right would be 3 rows at most')
    expect(read('id\tserial\nM1\ta\nM1\tb').refused[0]?.why).toBe('right would be each name once')
    expect(read('id\tserial\tcolour\nM1\ta\tred').unknown).toEqual(['colour'])
    expect(read('id\tserial\n\ta').refused[0]?.why).toBe('right would be a name in every row')
    expect(read('id\nM1\textra').refused[0]?.why).toMatch(/1 cell,/)
    expect(read('  ').list).toEqual(held)
  })
  it('replaces a list whose rows have no name', () => {
    const columns = columnsOf('/tariff/prices', ['from', 'to', 'price'], ['from', 'to'])
    const got = readRows(
      'From;To;Bought, a kWh\n7:00;22:00;0,31\n22:00;07:00;0.2',
      '/tariff/prices',
      columns,
      [{ from: '00:00' }],
      { most: 40 },
    )
    expect(got.list).toEqual([
      { from: '07:00', to: '22:00', price: 0.31 },
      { from: '22:00', to: '07:00', price: 0.2 },
    ])
    expect(got.added).toBe(2)
  })
})
