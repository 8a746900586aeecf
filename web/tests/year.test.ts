import { flushPromises } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { api, type DayFigures, type FlowSeries, type Simulation } from '../src/api/client'
import LedgerTable from '../src/stages/windows/LedgerTable.vue'
import SimulatedDay from '../src/stages/windows/SimulatedDay.vue'
import YearView from '../src/stages/windows/YearView.vue'
import PlotBox from '../src/ui/PlotBox.vue'
import { mounted, quiet, serve } from './mounting'

interface Cell {
  value: number[]
  date: string
  itemStyle: { borderColor: string }
}

const day = (i: number, more: Partial<DayFigures> = {}) =>
  ({
    date: new Date(Date.UTC(2025, 0, 1 + i)).toISOString().slice(0, 10),
    start_soc: 0.5,
    lowest_soc: 0.3 + (i % 7) / 20,
    sun_kwh: 10,
    load_kwh: 8,
    mains_kwh: 0,
    generator_kwh: 0,
    generator_h: 0,
    curtailed_kwh: 1,
    unserved_kwh: 0,
    transfers: 0,
    full: true,
    full_at_h: 13,
    cost: 0,
    ...more,
  }) as DayFigures
const ledger = {
  days: 60,
  sun_kwh: 600,
  load_kwh: 480,
  other_kwh: 0,
  sun_used_kwh: 500,
  curtailed_kwh: 100,
  bank_out_kwh: 200,
  mains_kwh: 0,
  mains_charge_kwh: 0,
  export_kwh: 0,
  unserved_kwh: 0,
  generator_h: 0,
  generator_starts: 0,
  lowest_soc: 0.3,
  full_days: 60,
  days_to_full: 1,
  transfers_per_night: 0,
  most_transfers_a_night: 0,
  highest_c: 25,
  overload_h: 0,
  off_h: 0,
  outside_limits_h: 0,
  cost: 1,
  currency: '',
} as unknown as Simulation['ledger']
const run = (state: string, share = 0) => ({ id: 'r', kind: 'year', state, share, word: 'running', problem: '' }) as never

describe('the simulated year', () => {
  beforeEach(() => {
    quiet()
    vi.useFakeTimers({ shouldAdvanceTime: true })
    serve({ name: 'Site' })
    vi.spyOn(api, 'startWork').mockResolvedValue(run('waiting'))
    vi.spyOn(api, 'work').mockResolvedValue(run('done', 1))
    vi.spyOn(api, 'cancelWork').mockResolvedValue(run('cancelled'))
  })
  afterEach(() => {
    vi.restoreAllMocks()
    vi.unstubAllGlobals()
    vi.useRealTimers()
  })
  async function made(daily: DayFigures[]) {
    vi.spyOn(api, 'workResult').mockResolvedValue({ daily, ledger, assumed: ['a thing'] } as never)
    const all = await mounted(YearView, {}, { global: { stubs: { VChart: true } } })
    await vi.advanceTimersByTimeAsync(400)
    await flushPromises()
    return all
  }
  const sixty = Array.from({ length: 60 }, (_, i) => day(i, i === 40 ? { unserved_kwh: 2, lowest_soc: 0.05 } : {}))

  it('puts each day into the row of its month, with its figure, framed where load was lost', async () => {
    const { wrapper } = await made(sixty)
    const plot = wrapper.findAllComponents(PlotBox)[0]
    const option = plot?.props('make')((tone: string) => tone) as { yAxis: { data: string[] }; series: [{ data: Cell[] }] }
    const cells = option.series[0].data
    expect(option.yAxis.data).toEqual(['Jan', 'Feb', 'Mar'])
    expect(cells).toHaveLength(60)
    expect(cells[0]?.value).toEqual([0, 0, 30])
    expect(cells[31]?.value.slice(0, 2)).toEqual([0, 1])
    expect(cells[40]?.value[2]).toBe(5)
    expect(cells.filter((c) => c.itemStyle.borderColor === 'ink').map((c) => c.date)).toEqual([sixty[40]?.date])
    expect(wrapper.text()).toContain('Assumed: a thing.')
  })
  it('is walked by the keys, by day and by month, picked by touch, and opens a day', async () => {
    const { wrapper, part } = await made(sixty)
    const list = wrapper.get('[role=listbox]')
    await list.trigger('focus')
    for (const key of ['ArrowRight', 'ArrowRight', 'ArrowDown', 'ArrowLeft']) await list.trigger('keydown', { key })
    expect(wrapper.get('[data-day]').text()).toMatch(/^2025-02-02: lowest/)
    expect(list.attributes('aria-activedescendant')).toBe('day-2025-02-02')
    for (const [key, date] of [
      ['End', '2025-03-01'],
      ['ArrowRight', '2025-03-01'],
      ['Home', '2025-01-01'],
      ['ArrowLeft', '2025-01-01'],
    ] as const) {
      await list.trigger('keydown', { key })
      expect(wrapper.get('[aria-selected=true]').attributes('id')).toBe(`day-${date}`)
    }
    await list.trigger('keydown', { key: 'Enter' })
    expect(part.emitted('day')).toEqual([['2025-01-01', 0.5]])
    wrapper.findAllComponents(PlotBox)[0]?.vm.$emit('pick', { date: '2025-01-09' })
    await flushPromises()
    expect(wrapper.get('[data-day]').text()).toMatch(/^2025-01-09/)
  })
  it('shows only the sources there were, in the plot and in the table', async () => {
    const heads = (w: { findAll: (s: string) => { text: () => string }[] }) => w.findAll('details.small th').map((t) => t.text())
    const { wrapper } = await made(sixty)
    expect(heads(wrapper)).toEqual(['Month', 'sun used, kWh', 'loads, kWh'])
    const other = await made(sixty.map((d) => ({ ...d, generator_kwh: 2 })))
    expect(heads(other.wrapper)).toContain('generator, kWh')
    const option = other.wrapper.findAllComponents(PlotBox)[1]?.props('make')((tone: string) => tone) as {
      series: { name: string }[]
    }
    expect(option.series.map((s) => s.name)).toEqual(['sun used', 'generator', 'what the loads took'])
  })
  it('tells when the job has changed since', async () => {
    const { wrapper, job } = await made(sixty)
    expect(wrapper.text()).not.toContain('changed since')
    job.set('/bank/fuse_a', 100)
    await flushPromises()
    expect(wrapper.text()).toContain('The job has changed since')
    job.undo()
    await flushPromises()
    expect(wrapper.text()).not.toContain('changed since')
  })
})

describe('the simulated day', () => {
  const n = 1440
  const columns = (more: Record<string, number[]>) => {
    const zero = () => new Array<number>(n).fill(0)
    const names = 'sun_load_w sun_other_w bank_load_w bank_other_w bank_grid_w mains_load_w mains_other_w unserved_w'
    const all = `${names} sun_bank_w mains_bank_w soc volts amps load_w sun_w on_mains generator`.split(' ')
    return {
      ...Object.fromEntries(all.map((k) => [k, zero()])),
      volts: zero().map(() => 53),
      soc: zero().map(() => 0.5),
      ...more,
    }
  }
  const drawn = async (more: Record<string, number[]>) => {
    const series = {
      step_min: 1,
      columns: columns(more),
      minute: Array.from({ length: n }, (_, i) => i),
      reason: new Array<number>(n).fill(0),
      reasons: ['bank below its transfer point: mains carries the load'],
      price: [],
      action: [],
    } as unknown as FlowSeries
    quiet()
    serve({ name: 'Site' })
    const thresholds = [{ word: 'Absorption', v: 55.2, tone: 'red' }]
    return (await mounted(SimulatedDay, { series, thresholds }, { global: { stubs: { VChart: true } } })).wrapper
  }
  afterEach(() => {
    vi.restoreAllMocks()
    vi.unstubAllGlobals()
  })
  type Drawn = Awaited<ReturnType<typeof drawn>>
  const plotOf = (w: Drawn) =>
    w.getComponent(PlotBox).props('make')((tone: string) => tone) as {
      series: { name: string; markLine?: { data: { xAxis?: number }[] } }[]
      tooltip: { formatter: (points: { dataIndex: number }[]) => string }
    }
  const names = (w: Drawn) => plotOf(w).series.map((s) => s.name)
  const from = (a: number, b: number, v: number) => Array.from({ length: n }, (_, i) => (i >= a && i < b ? v : 0))

  it('tells the reason at the minute under the scrubber', async () => {
    const w = await drawn({ mains_load_w: from(0, n, 500), load_w: from(0, n, 500) })
    expect(w.get('[data-reason]').text()).toContain('12:00 Bank below its transfer point: mains carries the load.')
    await w.get('input[type=range]').setValue('75')
    expect(w.get('[data-reason]').text()).toContain('01:15')
    expect(w.get('[data-reason]').text()).toContain('load 500 W')
  })
  it('shows the generator as a source of its own where it is the generator', async () => {
    const w = await drawn({ mains_load_w: from(600, 900, 500), generator: from(600, 900, 1), on_mains: from(600, 900, 1) })
    expect(names(w)).toContain('From the generator')
    expect(names(w)).not.toContain('From the mains')
    const transfers = plotOf(w).series.flatMap((s) => s.markLine?.data.map((d) => d.xAxis) ?? [])
    expect(transfers.filter((m) => m !== undefined)).toEqual([600, 900])
    expect(w.findAll('th').map((t) => t.text())).toContain('From the generator')
  })
  it('names no source that gives nothing', async () => {
    const w = await drawn({ sun_load_w: from(500, 1000, 300) })
    expect(names(w)).toEqual(['From the sun', 'Into the bank', 'Charge', 'Volts'])
  })
  it('reads every series and the reason at the cursor, as figures and in a table', async () => {
    const w = await drawn({ sun_load_w: from(500, 1000, 300) })
    const told = plotOf(w).tooltip.formatter([{ dataIndex: 600 }])
    for (const said of ['10:00', 'mains carries the load', 'From the sun', '0.3 kW', '50 %', '53 V']) expect(told).toContain(said)
    expect(w.findAll('tbody tr')).toHaveLength(24)
    w.getComponent(PlotBox).vm.$emit('at', 90)
    await flushPromises()
    expect(w.get('[data-reason]').text()).toContain('01:30')
  })
})

describe('the ledger', () => {
  afterEach(() => vi.unstubAllGlobals())
  it('stands side by side, with words where there is no figure', async () => {
    quiet()
    serve({ name: 'Site' })
    const other = { ...ledger, days_to_full: null, currency: 'EUR', cost: 12.345 }
    const { wrapper } = await mounted(LedgerTable, { names: ['plan', 'as found'], ledgers: [ledger, other] })
    const row = (word: string) =>
      wrapper
        .findAll('tbody tr')
        .find((r) => r.get('th').text() === word)
        ?.findAll('td')
        .map((t) => t.text())
    expect(row('Days to the first full')).toEqual(['1', 'never'])
    expect(row('Cost')).toEqual(['no tariff given', '12.35 EUR'])
    expect(wrapper.findAll('thead th').map((t) => t.text())).toEqual(['', 'plan', 'as found'])
    vi.restoreAllMocks()
  })
})
