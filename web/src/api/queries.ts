// Every question to the server with its key and its way of asking, in one place.
import { keepPreviousData, queryOptions } from '@tanstack/vue-query'
import { withoutRefused } from '../job/refused'
import { api, ApiProblem, type Job, type JobsAsked, type Plan, type ProblemOut, type Chemistry, type Visit } from './client'

export const PAGE = 40
const AGES = { staleTime: Infinity, gcTime: Infinity }
/** Ask again, ever more slowly, while the server is away; a few times when it failed; never what it refused. */
export const patient = (times: number, error: unknown): boolean =>
  error instanceof ApiProblem && (error.offline || (error.status >= 500 && times < 5))
/** Ask again as long as the page is open, also after a failure; never what was refused. */
const tireless = (_: number, error: unknown): boolean => error instanceof ApiProblem && (error.offline || error.status >= 500)
export const slower = (times: number): number => Math.min(1000 * 2 ** times, 15_000)
const live = { retry: patient, retryDelay: slower, networkMode: 'always' as const, gcTime: 5_000 }

/** A plan as it is kept: with what was refused meanwhile, and when it was made. */
export const made = (plan: Plan, problems: ProblemOut[] = [], at = new Date().toISOString()) => ({ plan, problems, at })

export const queries = {
  jobs: (asked: JobsAsked, page: number) =>
    queryOptions({
      queryKey: ['jobs', { ...asked, page }],
      queryFn: () => api.jobs(asked, PAGE, (page - 1) * PAGE),
      staleTime: 0,
      placeholderData: keepPreviousData,
    }),
  revisions: (id: string, revision: number, page: number) =>
    queryOptions({
      queryKey: ['revisions', id, revision, page],
      queryFn: () => api.revisions(id, PAGE, (page - 1) * PAGE),
      placeholderData: keepPreviousData,
    }),
  library: () => queryOptions({ queryKey: ['library'], queryFn: api.library, staleTime: Infinity }),
  versions: (id: string, base: number) => queryOptions({ queryKey: ['versions', id, base], queryFn: () => api.versions(id) }),
  schema: (kind: string) => queryOptions({ queryKey: ['schema', kind], queryFn: () => api.schema(kind), ...AGES }),
  stages: () => queryOptions({ queryKey: ['stages'], queryFn: api.stages, ...AGES }),
  quantities: () => queryOptions({ queryKey: ['quantities'], queryFn: api.quantities, ...AGES }),
  rules: (chemistry: Chemistry = 'lfp') =>
    queryOptions({ queryKey: ['rules', chemistry], queryFn: () => api.rules(chemistry), ...AGES }),
  symptoms: () => queryOptions({ queryKey: ['symptoms'], queryFn: api.symptoms, ...AGES }),
  protocols: () => queryOptions({ queryKey: ['protocols'], queryFn: api.protocols, ...AGES }),
  /** The plan of a document as it stands at `turn`; of all but what is refused, where `origin` says what stood there before. */
  plan: (id: string, turn: number, document: Job, origin: Job | null) =>
    queryOptions({
      queryKey: ['plan', id, turn],
      queryFn: async ({ signal }) => {
        let asked = document
        let problems: ProblemOut[] = []
        for (;;) {
          try {
            return made(await api.plan(asked, signal), problems)
          } catch (error) {
            if (!(error instanceof ApiProblem) || error.status !== 422 || !origin || problems.length > 20) throw error
            const less = withoutRefused(asked, origin, error.problems)
            problems = [...problems, ...error.problems]
            if (!less) throw new ApiProblem(422, error.title, error.detail, problems)
            asked = less
          }
        }
      },
      staleTime: Infinity,
      ...live,
      retry: tireless,
    }),
  order: (id: string, unit: string, turn: number, document: Job) =>
    queryOptions({
      queryKey: ['order', id, unit, turn],
      queryFn: ({ signal }) => api.order(unit, document, signal),
      staleTime: Infinity,
      ...live,
    }),
  trial: (id: string, asFound: boolean, turn: number, document: Job) =>
    queryOptions({
      queryKey: ['trial', id, asFound, turn],
      queryFn: ({ signal }) => api.trial(document, asFound, signal),
      staleTime: Infinity,
      ...live,
    }),
  day: (id: string, lead: number, turn: number, document: Job) =>
    queryOptions({
      queryKey: ['day', id, lead, turn, document?.flow?.start ?? ''],
      queryFn: ({ signal }) => api.simulate(document, lead, signal),
      staleTime: Infinity,
      ...live,
    }),
  run: (id: string, turn: string, visit: Visit = 'full') =>
    queryOptions({ queryKey: ['run', id, visit, turn], queryFn: () => api.run(id, visit), ...live }),
  record: (id: string, turn: string) =>
    queryOptions({
      queryKey: ['record', id, turn],
      queryFn: () => api.record(id),
      placeholderData: keepPreviousData,
      ...live,
    }),
  instruments: () => queryOptions({ queryKey: ['instruments'], queryFn: api.instruments }),
  handovers: (id: string) => queryOptions({ queryKey: ['handovers', id], queryFn: () => api.handovers(id) }),
  due: () => queryOptions({ queryKey: ['due'], queryFn: api.due, staleTime: 0 }),
  work: (id: string) =>
    queryOptions({
      queryKey: ['work', id],
      queryFn: () => api.work(id),
      retry: patient,
      retryDelay: 2_000,
      networkMode: 'always',
      gcTime: 0,
    }),
  diagnosis: (id: string, answers: Record<string, number>, document: Job | null) =>
    queryOptions({
      queryKey: ['diagnosis', id, answers],
      queryFn: ({ signal }) => api.diagnose(id, answers, document, signal),
      placeholderData: keepPreviousData,
      gcTime: 0,
    }),
}
