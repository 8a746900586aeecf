import { flushPromises, mount } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { api, type Chain, type Plan, type Rung } from '../src/api/client'
import NarrowsFigure from '../src/stages/limits/NarrowsFigure.vue'
import LadderFigure from '../src/stages/thresholds/LadderFigure.vue'
import FindingsColumn from '../src/workspace/FindingsColumn.vue'
import WhyPanel from '../src/workspace/WhyPanel.vue'
import { fakePlan, mounted, quiet, serve } from './mounting'

const rung = (word: string, value: number, lowest: number, highest: number, below: string | null = null) =>
  ({
    word,
    kind: 'volts',
    value,
    lowest,
    highest,
    step: 0.1,
    margin: below ? 1 : null,
    next_below: below,
    at_rest_soc: 0.5,
    under_load_soc: 0.6,
    full_load_soc: 0.7,
    sag_v: 0.4,
    reasons: [],
    alternatives: [],
    why: [],
    own: false,
    wished: null,
    cell_v: value / 16,
  }) as unknown as Rung
const view = {
  low_v: 40,
  high_v: 60,
  zones: [{ low: 40, high: 42, word: 'the battery opens by itself below 42' }],
  soc_marks: [
    { soc: 0, v: 40 },
    { soc: 0.5, v: 52 },
    { soc: 1, v: 57 },
  ],
  solved_for: 'x',
  feasible: true,
  conflict: [],
  way_out: '',
  design_load_a: 50,
  full_load_a: 100,
  path_mohm: 5,
  decide_by: 'volts',
} as unknown as NonNullable<Plan['ladder_view']>
const RUNGS: [string, Rung][] = [
  ['absorb_v', rung('Absorption', 55.2, 54, 57.6, 'shutdown_v')],
  ['shutdown_v', rung('Shut-down', 45.7, 44.2, 55)],
]

describe('the ladder', () => {
  beforeEach(quiet)
  afterEach(() => vi.unstubAllGlobals())
  const drawn = (more: object = {}) =>
    mount(LadderFigure, { props: { rungs: RUNGS, view, kind: 'volts', chosen: 'shutdown_v', ...more } })
  const at = (w: ReturnType<typeof drawn>, name: string) => w.get(`[data-rung="${name}"]`)

  it('says of each rung what it is, what is permitted and what it means', () => {
    const w = drawn()
    const text = at(w, 'shutdown_v').attributes('aria-valuetext')
    expect(text).toMatch(/^45\.7 V, permitted 44\.2 V to 55\.0 V/)
    expect(at(w, 'shutdown_v').attributes('role')).toBe('slider')
    expect(w.text()).toContain('50 % at rest, 60 % loaded')
    expect(w.text()).toContain('the battery opens by itself')
    expect(drawn({ quiet: true }).text()).not.toContain('loaded')
  })
  it('moves by one and by ten steps of the unit, without dust, each from where the one before it went', async () => {
    const w = drawn()
    for (const key of ['ArrowUp', 'ArrowDown', 'PageUp', 'PageDown']) await at(w, 'shutdown_v').trigger('keydown', { key })
    expect(w.emitted('move')).toEqual([
      ['shutdown_v', 45.8],
      ['shutdown_v', 45.7],
      ['shutdown_v', 46.7],
      ['shutdown_v', 45.7],
    ])
    expect(at(w, 'shutdown_v').text()).toContain('45.7 V')
  })
  it('goes back by Delete and is chosen by Enter', async () => {
    const w = drawn()
    await at(w, 'absorb_v').trigger('keydown', { key: 'Enter' })
    await at(w, 'absorb_v').trigger('keydown', { key: 'Delete' })
    expect([w.emitted('choose'), w.emitted('reset')]).toEqual([[['absorb_v']], [['absorb_v']]])
  })
  it('is dragged, tells at once what is not permitted, and moves when let go', async () => {
    const w = drawn()
    const element = at(w, 'shutdown_v').element as SVGElement & { setPointerCapture: (id: number) => void }
    element.setPointerCapture = () => undefined
    await at(w, 'shutdown_v').trigger('pointerdown', { button: 0, clientY: 100, pointerId: 1 })
    await at(w, 'shutdown_v').trigger('pointermove', { clientY: 101 })
    expect(w.text()).not.toContain('not permitted')
    await at(w, 'shutdown_v').trigger('pointermove', { clientY: 180 })
    expect(w.text()).toContain('not permitted below 44.2 V')
    await at(w, 'shutdown_v').trigger('pointerup')
    const [name, value] = (w.emitted('move')?.[0] ?? []) as [string, number]
    expect(name).toBe('shutdown_v')
    expect(value).toBeLessThan(44.2)
    expect(Math.abs(value * 10 - Math.round(value * 10))).toBeLessThan(1e-6)
  })
  it('a click alone moves nothing, nor does another button', async () => {
    const w = drawn()
    const element = at(w, 'absorb_v').element as SVGElement & { setPointerCapture: (id: number) => void }
    element.setPointerCapture = () => undefined
    await at(w, 'absorb_v').trigger('pointerdown', { button: 0, clientY: 100, pointerId: 1 })
    await at(w, 'absorb_v').trigger('pointerup')
    await at(w, 'absorb_v').trigger('pointerdown', { button: 2, clientY: 100, pointerId: 1 })
    await at(w, 'absorb_v').trigger('pointermove', { clientY: 200 })
    expect(w.emitted('move')).toBeUndefined()
  })
  it('shows what was found on the units as ghosts', () => {
    const w = drawn({ ghosts: [{ name: 'absorb_v', value: 57.6, who: 'U1' }] })
    expect(w.findAll('[data-ghost="absorb_v"]')).toHaveLength(1)
  })
})

describe('the narrows', () => {
  const cap = (name: string, a: number) => ({
    cap: name,
    word: name,
    a,
    why: `because of ${name}`,
    rule: 'r',
    without_one_a: a / 2,
  })
  const chain = {
    bank_a: 100,
    binding: 'fuse',
    caps: [cap('sheet', 300), cap('fuse', 100)],
    units: [{ unit: 'U1', a: 100, own_max_a: 120, kind: 'unit' }],
    needed_a: 70,
  } as unknown as Chain
  beforeEach(quiet)
  afterEach(() => vi.unstubAllGlobals())
  it('names the narrowest, and is walked by keys', async () => {
    const w = mount(NarrowsFigure, { props: { chain, title: 'Charging', kind: 'charge', chosen: null } })
    const reaches = w.findAll('[role=option]')
    expect(reaches.map((r) => r.attributes('aria-label'))).toEqual([
      'sheet: 300 A. because of sheet',
      'fuse: 100 A, the narrowest. because of fuse',
    ])
    await reaches[0]?.trigger('click')
    for (const key of ['Enter', 'ArrowLeft', 'ArrowRight']) await w.get('[role=listbox]').trigger('keydown', { key })
    expect(w.emitted('choose')).toEqual([['sheet'], ['fuse'], ['sheet'], ['fuse']])
  })
})

describe('findings and reasons', () => {
  const finding = (severity: string, rule: string) => ({
    rule,
    severity,
    title: `Title of ${rule}`,
    message: 'What was compared.',
    at: '/bank/fuse_a',
    fix: 'Change it.',
    stage: 'bank',
    numbers: {},
    source: 'common practice',
    status: 'T',
  })
  beforeEach(quiet)
  afterEach(() => {
    vi.restoreAllMocks()
    vi.unstubAllGlobals()
  })
  it('counts, tells what to change, and sends to the place', async () => {
    serve({ name: 'Site' }, fakePlan({ findings: [finding('stop', 'a'), finding('caution', 'b'), finding('caution', 'c')] }))
    const { wrapper, part } = await mounted(FindingsColumn, { current: 1 })
    expect(wrapper.get('[role=status]').text()).toBe('1 stop, 2 cautions')
    const rows = wrapper.findAll('[data-finding]')
    expect(rows.map((r) => r.attributes('data-finding'))).toEqual(['a', 'b', 'c'])
    expect(rows[1]?.classes()).toContain('current')
    await rows[0]?.get('[data-index]').trigger('click')
    expect(part.emitted('go')).toEqual([['/bank/fuse_a']])
  })
  it('says so when there is nothing against the plan', async () => {
    serve({ name: 'Site' })
    const { wrapper } = await mounted(FindingsColumn, { current: -1 })
    expect(wrapper.text()).toContain('Nothing found against this plan.')
  })
  it('gives the formula with the figures, the rule and where it comes from', async () => {
    vi.spyOn(api, 'rules').mockResolvedValue([
      {
        id: 'sag',
        statement: 'Under load the terminals read lower',
        formula: 'V = n * OCV - I * R',
        source: 'common practice',
        status: 'T',
        status_words: 'common practice, no source',
      } as never,
    ])
    const { wrapper } = await mounted(WhyPanel, {
      title: 'Why Shut-down is 45.7 V',
      reasons: [
        { rule: 'sag', text: '16 × 2.87 - 63 A × 4.3 mΩ = 45.65 V', bound: 'school' },
        { rule: 'unknown', text: 'no more is known' },
      ],
      alternatives: [{ school: 'careful', value: 45.2, text: 'cut-off + 0.125 V a cell' }],
      unit: 'V',
    })
    await flushPromises()
    const text = wrapper.text()
    for (const words of ['wanted', '= 45.65 V', 'Under load the terminals read lower.', 'sag · common practice, no source'])
      expect(text).toContain(words)
    expect(text).toContain('careful 45.2 V (cut-off + 0.125 V a cell)')
    expect(text).toContain('no more is known')
  })
})
