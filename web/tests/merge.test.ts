import { describe, expect, it } from 'vitest'
import { merge } from '../src/job/merge'
import { withoutRefused } from '../src/job/refused'
import { differences, read, write } from '../src/job/pointer'

type Doc = Record<string, unknown>
const base = (): Doc => ({
  name: 'Site',
  loads: { continuous_w: 1, peak_w: 2, daily_wh: 3 },
  units: [
    { id: 'U1', role: 'host', w: 1 },
    { id: 'U2', role: 'follower', w: 2 },
    { id: 'U3', role: 'follower', w: 3 },
  ],
  sources: ['sun', 'mains'],
})

describe('putting two edits together', () => {
  it('takes what only one changed, rows by their id', () => {
    const mine = { ...base(), name: 'Mine', units: [{ id: 'U0', w: 0 }, ...(base().units as object[])] }
    const theirs = write(base(), '/units/1/w', 22)
    const done = merge(base(), mine, theirs)
    expect(done.clashes).toEqual([])
    expect(read(done.document, '/units/2')).toEqual({ id: 'U2', role: 'follower', w: 22 })
    expect(read(done.document, '/units/0/id')).toBe('U0')
    expect(done.document.name).toBe('Mine')
  })
  it('asks what both changed, at the place where it stands', () => {
    const mine = { ...base(), units: [{ id: 'U0' }, ...(write(base(), '/units/1/w', 20).units as object[])] }
    const theirs = write(base(), '/units/1/w', 22)
    const done = merge(base(), mine, theirs)
    expect(done.clashes).toMatchObject([{ pointer: '/units/2/w', key: '/units/U2/w', mine: 20, theirs: 22 }])
    expect(read(merge(base(), mine, theirs, () => 'theirs').document, '/units/2/w')).toBe(22)
  })
  it('asks where one took out what the other changed', () => {
    const mine = { ...base(), units: (base().units as object[]).slice(0, 2) }
    const theirs = write(base(), '/units/2/w', 33)
    expect(merge(base(), mine, theirs).clashes).toMatchObject([{ key: '/units/U3', mine: undefined }])
  })
  it('takes out what one took out and the other left alone', () => {
    const mine = { ...base(), units: (base().units as object[]).slice(1) }
    const done = merge(base(), mine, { ...base(), name: 'T' })
    expect(done.clashes).toEqual([])
    expect((done.document.units as { id: string }[]).map((u) => u.id)).toEqual(['U2', 'U3'])
  })

  // The oracle: a list of places, each changed by nobody, me, them, or both; what must come out is known from how it was made.
  it('is right for a thousand random pairs of edits', () => {
    let seed = 7
    const random = (n: number) => (seed = (seed * 1103515245 + 12345) % 2147483648) % n
    const places = [
      '/name',
      '/loads/continuous_w',
      '/loads/peak_w',
      '/loads/daily_wh',
      '/units/0/w',
      '/units/1/w',
      '/units/2/role',
      '/sources',
    ]
    for (let round = 0; round < 1000; round++) {
      let [mine, theirs, right] = [base(), base(), base()]
      const clashes: string[] = []
      for (const place of places) {
        const who = random(5)
        const [a, b] = [`a${random(100)}`, `b${random(100)}`]
        if (who === 1 || who === 3 || who === 4) mine = write(mine, place, a)
        if (who === 2 || who === 3) theirs = write(theirs, place, b)
        if (who === 4) theirs = write(theirs, place, a)
        if (who === 3) clashes.push(place)
        right = who === 2 ? write(right, place, b) : who ? write(right, place, a) : right
      }
      const done = merge(base(), mine, theirs)
      expect(done.document).toEqual(right)
      expect(done.clashes.map((c) => c.pointer).sort()).toEqual(clashes.sort())
      const turned = merge(base(), theirs, mine)
      expect(turned.clashes.length).toBe(clashes.length)
      expect(merge(base(), mine, mine).document).toEqual(mine)
      expect(merge(base(), base(), theirs).document).toEqual(theirs)
    }
  })
})

describe('a document without what is refused', () => {
  const problem = (pointer: string) => ({ pointer })
  it('goes back at the refused place only', () => {
    const mine = { ...write(base(), '/loads/peak_w', -1), name: 'New' }
    expect(withoutRefused(mine, base(), [problem('/loads/peak_w')])).toEqual({ ...base(), name: 'New' })
  })
  it('takes a new row out as a whole where a part of it is missing', () => {
    const mine = { ...base(), units: [...(base().units as object[]), { id: 'U4' }] }
    const out = withoutRefused(mine, base(), [problem('/units/3/role')])
    expect(differences(out, base())).toEqual([])
  })
  it('says when it cannot help', () => {
    expect(withoutRefused(base(), base(), [problem('/loads/peak_w')])).toBeNull()
    expect(withoutRefused(base(), base(), [problem('')])).toBeNull()
  })
})
