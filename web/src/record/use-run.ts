// The run of the open job: its steps from the server (or as last read on this device), and where each stands by the record.
import { useQuery } from '@tanstack/vue-query'
import { useLocalStorage } from '@vueuse/core'
import { computed, shallowRef, watch } from 'vue'
import { queries } from '../api/queries'
import type { Run, RunStep, SiteRecord, Visit } from '../api/client'
import { useJob } from '../job/use-job'
import { standing, statusesOf } from './standing'
import type { Meter, NewEvent } from './types'

export function useRun() {
  const job = useJob()
  const record = job.record
  const kept = shallowRef<Run | null>(null)
  const keptRecord = shallowRef<SiteRecord | null>(null)
  // Which kind of visit this is, on this device; the entries of one that is no new build follow what was entered last.
  const visit = useLocalStorage<Visit>(`ewerer:visit:${job.id}`, 'full')
  const entered = computed(() => (visit.value === 'full' ? '' : JSON.stringify(record.marks.value)))
  const turn = computed(() => `${job.revision.value} ${JSON.stringify(record.state.value.found)}`)
  const begun = shallowRef('')
  watch(visit, () => (begun.value = entered.value), { immediate: true })
  const asking = computed(() => ({
    ...queries.run(job.id, `${turn.value} ${begun.value}`, visit.value),
    placeholderData: (before?: Run) => before,
  }))
  const told = useQuery(asking)
  const run = computed(() => told.data.value ?? kept.value)
  watch(
    told.data,
    (now) => {
      if (now) void record.keep('run', now)
    },
    { immediate: true },
  )
  void record.kept<Run>('run').then((now) => (kept.value = now ?? null))

  // What needs more than a gate is worked out by the server once it has the events.
  const sent = computed(() => `${record.state.value.count} ${record.waiting.value} ${job.revision.value}`)
  const asked = useQuery(computed(() => ({ ...queries.record(job.id, sent.value), enabled: record.waiting.value === 0 })))
  const site = computed(() => asked.data.value ?? keptRecord.value)
  watch(asked.data, (now) => now && void record.keep('record', now))
  /** The server is still at it: what it says of the latest readings is not there yet. */
  const judging = computed(() => record.waiting.value > 0 || asked.isPlaceholderData.value || asked.isFetching.value)
  // A verdict that was worked out becomes an event, told from where the step was read, so that it blocks and is answered for like
  // any other. Whoever only looks adds nothing.
  watch([asked.data, judging], ([now, busy]) => {
    if (!now || busy) return
    const made: NewEvent[] = []
    for (const [id, judged] of Object.entries(now.judged)) {
      const told = record.state.value.steps[id]
      if (!record.readHere.has(id) || !judged.verdict || !told) continue
      if (told.verdict === judged.verdict && told.text === judged.text) continue
      made.push({ kind: 'verdict', step: id, verdict: judged.verdict, text: judged.text.slice(0, 4000) })
    }
    if (made.length) void record.add(...made)
  })
  void record.kept<SiteRecord>('record').then((now) => (keptRecord.value = now ?? null))

  const instruments = useQuery(queries.instruments())
  const meters = shallowRef<Meter[]>([])
  watch(
    instruments.data,
    (now) => {
      if (!now) return
      meters.value = now as Meter[]
      void record.keep('meters', now)
    },
    { immediate: true },
  )
  void record.kept<Meter[]>('meters').then((now) => !meters.value.length && (meters.value = now ?? []))

  const steps = computed<RunStep[]>(() => run.value?.steps ?? [])
  const statuses = computed(() => statusesOf(steps.value, record.state.value.steps))
  const where = computed(() => standing(steps.value, statuses.value))
  const byId = computed(() => new Map(steps.value.map((s) => [s.id, s])))
  const open = computed(() => new Set(openBreakers(steps.value, record.state.value.steps)))
  const next = (after?: string): string | undefined => {
    const at = steps.value.findIndex((s) => s.id === after)
    const able = (s: RunStep) => ['ready', 'begun', 'unsure', 'open'].includes(where.value[s.id] ?? '')
    return (steps.value.slice(at + 1).find(able) ?? steps.value.find(able))?.id
  }
  const failed = computed(() => (told.isError.value && !run.value ? (told.error.value as Error).message : ''))
  return {
    job,
    record,
    run,
    failed,
    retry: () => void told.refetch(),
    visit,
    site,
    judging,
    meters,
    steps,
    where,
    byId,
    open,
    next,
  }
}
export type RunView = ReturnType<typeof useRun>

/** Breakers that are open: those whose opening was done and not undone by a later closing. */
export function openBreakers(
  steps: Pick<RunStep, 'id' | 'breaker' | 'opens'>[],
  told: Record<string, { status: string; at: string }>,
): string[] {
  const latest = new Map<string, { at: string; opens: boolean }>()
  for (const s of steps) {
    const state = told[s.id]
    if (!s.breaker || !state || (state.status !== 'done' && state.status !== 'overridden')) continue
    if (state.at >= (latest.get(s.breaker)?.at ?? '')) latest.set(s.breaker, { at: state.at, opens: !!s.opens })
  }
  return [...latest].filter(([, l]) => l.opens).map(([id]) => id)
}
