import { flushPromises } from '@vue/test-utils'
import { describe, expect, it, vi } from 'vitest'
import { api } from '../src/api/client'
import TriedTable from '../src/stages/sheet/TriedTable.vue'
import { mounted, serve } from './mounting'

const row = (more: object) => ({
  when: '',
  minute: 720,
  season: '',
  soc: 0.5,
  volts: 52.1,
  sun_w: 0,
  load_w: 1200,
  source: 'none',
  over: false,
  wants: 'auto',
  bank_w: -1200,
  grid_w: 0,
  unserved_w: 0,
  curtailed_w: 0,
  reason: 'the bank carries what the sun does not',
  broken: [],
  ...more,
})
const told = (rows: object[], broken: string[] = []) =>
  vi.spyOn(api, 'trial').mockResolvedValue({ job: 'Site', as_found: false, rows, broken, unknown: ['no alarm'] } as never)

describe('what was tried', () => {
  it('says that nothing is broken, and what nobody knows', async () => {
    serve({ name: 'Site' })
    told([row({}), row({ source: 'grid', when: '03:00', wants: 'charge', bank_w: 900, grid_w: 2100 })])
    const { wrapper } = await mounted(TriedTable, {})
    await flushPromises()
    expect(wrapper.get('[data-verdict]').text()).toContain('2 situations asked, nothing broken')
    expect(wrapper.text()).toContain('Not known: no alarm.')
    expect(wrapper.findAll('[data-tried] tbody tr')).toHaveLength(2)
    expect(wrapper.get('[data-tried]').text()).toContain('−1200 W')
  })
  it('tells a broken promise and opens the words of a row', async () => {
    serve({ name: 'Site' })
    vi.spyOn(api, 'rules').mockResolvedValue([{ id: 'tried-sold', statement: 'The bank is sold where wanted only' } as never])
    told([row({ source: 'grid', when: '03:00', broken: ['tried-sold'], unserved_w: 300 })], ['At 03:00 the bank is sold.'])
    const { wrapper } = await mounted(TriedTable, {})
    await flushPromises()
    expect(wrapper.get('[data-verdict]').text()).toContain('1 broken of 1 situations asked')
    expect(wrapper.text()).toContain('At 03:00 the bank is sold.')
    const opens = wrapper.get('[data-tried] button')
    expect(opens.attributes('aria-expanded')).toBe('false')
    await opens.trigger('click')
    expect(opens.attributes('aria-expanded')).toBe('true')
    expect(wrapper.text()).toContain('300 W of loads are not carried.')
    expect(wrapper.text()).toContain('The bank is sold where wanted only')
  })
})
