// What a simulated day shows: who carries the loads minute by minute, what charges, when the units change over. Pure.
import type { FlowSeries } from '../../api/client'
import type { Tone } from '../../ui/plot'

export const LAYERS: { word: string; tone: Tone }[] = [
  { word: 'From the sun', tone: 'sun' },
  { word: 'From the output-side sun', tone: 'gen' },
  { word: 'From the bank', tone: 'bank' },
  { word: 'From the mains', tone: 'mains' },
  { word: 'From the generator', tone: 'load' },
  { word: 'Not served', tone: 'stop' },
  { word: 'Sold', tone: 'soft' },
]
export interface Carried {
  /** Watts by layer, a figure a minute. */
  layers: Record<string, number[]>
  charging: number[]
  /** Minutes of the day at which the units change over between bank and AC. */
  transfers: number[]
}
export function carried(series: FlowSeries): Carried {
  const c = (name: string) => series.columns[name] ?? []
  const add = (...names: string[]) => c(names[0] as string).map((_, i) => names.reduce((s, n) => s + (c(n)[i] ?? 0), 0))
  const running = (i: number) => (c('generator')[i] ?? 0) > 0
  const ac = add('mains_load_w', 'mains_other_w')
  const onAc = c('on_mains')
  return {
    layers: {
      'From the sun': add('sun_load_w', 'sun_other_w'),
      'From the output-side sun': add('output_load_w', 'output_other_w'),
      'From the bank': add('bank_load_w', 'bank_other_w'),
      'From the mains': ac.map((w, i) => (running(i) ? 0 : w)),
      'From the generator': ac.map((w, i) => (running(i) ? w : 0)),
      'Not served': c('unserved_w'),
      Sold: add('sun_grid_w', 'bank_grid_w', 'output_grid_w'),
    },
    charging: add('sun_bank_w', 'mains_bank_w', 'output_bank_w'),
    transfers: onAc.flatMap((v, i) => (i > 0 && v !== onAc[i - 1] ? [series.minute[i] ?? i] : [])),
  }
}
