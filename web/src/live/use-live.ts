// What the ports of a job read now: asked for once a second while somebody looks, never held open.
import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/vue-query'
import { useDocumentVisibility } from '@vueuse/core'
import { computed } from 'vue'
import { api, type RigAct } from '../api/client'
import { useJob } from '../job/use-job'

export interface Reading {
  value: number | string
  age_s: number
  old: boolean
}
export interface LivePort {
  id: string
  device: string
  kind: string
  map: boolean
  at: string
  stand_in: boolean
  writes: boolean
  state: 'opening' | 'open' | 'lost' | 'closed'
  error: string
  heard_s?: number | null
  values: Record<string, Reading>
  unit_heard_s?: number | null
  frames: { id: number; extended: boolean; data: string; count: number; hz: number; age_s: number; name: string }[]
  beyond?: number
  replay?: { name: string; speed: number; clock: string; at_s: number; of_s: number } | null
  strip: { names: string[]; rows: (number | null)[][] }
}
export interface LiveRow {
  name: string
  word: string
  unit: string
  expected: number | null
  shown: Record<string, Reading>
  right: boolean | null
}
export interface RigDisplay {
  title: string
  lines: string[]
  cursor: number
  editing: boolean
  message: string
  mode: string
  level: string
  asleep: boolean
}
export interface RigState {
  minute: number
  speed: number
  seed: number
  displays: Record<string, RigDisplay>
  names: Record<string, string>
  modules: { id: string; charging: boolean; discharging: boolean; connected: boolean; soc_pct: number; amps: number }[]
  cable: boolean
  faults: Record<string, boolean>
  words: Record<string, string>
  log: { at: number; t: number; what: string }[]
}
export interface Live {
  ports: LivePort[]
  rows: LiveRow[]
  evidence: Record<string, number>
  rig: RigState | null
}

const EVERY_MS = 1000
export function useLive(every: number | false = EVERY_MS) {
  const job = useJob()
  const client = useQueryClient()
  const visible = useDocumentVisibility()
  const queryKey = ['live', job.id]
  const told = useQuery({
    queryKey,
    queryFn: () => api.live(job.id) as unknown as Promise<Live>,
    refetchInterval: computed(() => (every !== false && visible.value === 'visible' ? every : false)),
    staleTime: every === false ? 15_000 : 0,
    placeholderData: keepPreviousData,
    retry: false,
  })
  const live = computed(() => told.data.value)
  const again = () => client.invalidateQueries({ queryKey })
  /** Something done at a stand-in; its new state is shown at once. */
  async function act(asked: RigAct) {
    const rig = (await api.actOnRig(job.id, asked)) as unknown as RigState
    client.setQueryData<Live>(queryKey, (now) => now && { ...now, rig })
  }
  return { live, told, again, act }
}
/** The port through which a device's settings are read, where there is one. */
export const mapPort = (live: Live | undefined, device: string): LivePort | undefined =>
  live?.ports.find((p) => p.map && p.device === device)

const FLAGS = new Set(['forced_charge', 'charge_allowed', 'discharge_allowed', 'on_source', 'output_on'])
/** A reading with its unit, and its age where it is old. */
export function shown(row: { name: string; unit: string }, reading: Reading): string {
  const value = reading.value
  if (typeof value === 'string') return value
  if (row.name === 'clock_min')
    return `${String(Math.floor(value / 60)).padStart(2, '0')}:${String(Math.floor(value % 60)).padStart(2, '0')}`
  if (FLAGS.has(row.name)) return value ? 'yes' : 'no'
  const digits = { V: 2, A: 1, Hz: 2 }[row.unit] ?? 0
  return `${value.toFixed(digits)} ${row.unit}`.trim()
}
