// One way to the server: JSON in, JSON out, every failure an ApiProblem with the server's own words.
import type { components } from './schema'

type S = components['schemas']
export type Job = S['Job']
export type Plan = S['Plan']
export type Finding = S['Finding']
export type Rung = S['Rung']
export type Chain = S['Chain']
export type Cap = S['Cap']
export type Derived = S['Derived']
export type StageState = S['StageState']
export type JobLine = S['JobLine']
export type JobOut = S['JobOut']
export type Saved = S['Saved']
export type Stale = S['Stale']
export type RevisionLine = S['RevisionLine']
export type ProfileLine = S['ProfileLine']
export type RuleOut = S['RuleOut']
export type SessionOut = S['SessionOut']
export type ProblemOut = S['ProblemOut']
export type Cable = S['Cable']
export type LinkCandidate = S['LinkCandidate']
export type Diagnosis = S['Diagnosis']
export type SymptomLine = S['SymptomLine']
export type ProtocolLine = S['ProtocolLine']
export type UnitOrder = S['UnitOrder']
export type Step = S['Step']
export type FoundValue = S['FoundValue']
export type VersionLine = S['VersionLine']
export type TryOut = S['TryOut']
export type Simulation = S['Simulation']
export type FlowSeries = S['FlowSeries']
export type DayFigures = S['DayFigures']
export type Ledger = S['Ledger']
export type Gentlest = S['Gentlest']
export type Comparison = S['Comparison']
export type Advice = S['Advice']
export type RunOut = S['RunOut']
export type UnitWindows = S['UnitWindows']
export type SheetRow = S['SheetRow']

export class ApiProblem extends Error {
  constructor(
    readonly status: number,
    readonly title: string,
    readonly detail: string,
    readonly problems: ProblemOut[] = [],
    readonly body: Record<string, unknown> = {},
  ) {
    super(detail || title)
  }
  /** The server was not reached at all. */
  get offline(): boolean {
    return this.status === 0
  }
}

let csrf = ''
let signedOut: () => void = () => undefined
/** Called when the server says that nobody is signed in any more. */
export const onSignedOut = (act: () => void) => (signedOut = act)
export const setCsrf = (token: string) => (csrf = token)

export async function call<T>(method: string, path: string, body?: unknown, signal?: AbortSignal): Promise<T> {
  const headers: Record<string, string> = { Accept: 'application/json' }
  if (body !== undefined) headers['Content-Type'] = 'application/json'
  if (method !== 'GET') headers['X-CSRFToken'] = csrf
  let answer: Response
  try {
    answer = await fetch('/api' + path, {
      method,
      headers,
      credentials: 'same-origin',
      signal,
      body: body === undefined ? undefined : typeof body === 'string' ? body : JSON.stringify(body),
    })
  } catch (error) {
    if (error instanceof DOMException && error.name === 'AbortError') throw error
    throw new ApiProblem(
      0,
      'The server cannot be reached',
      'What you typed is kept on this device and sent when the server is back.',
    )
  }
  const text = await answer.text()
  let data: unknown
  try {
    data = text ? JSON.parse(text) : null
  } catch {
    data = null
  }
  if (!answer.ok) {
    if (answer.status === 401 && path !== '/session') signedOut()
    const p = (data ?? {}) as Partial<S['ProblemDetails']>
    const gateway = answer.status >= 502 && answer.status <= 504
    throw new ApiProblem(
      gateway ? 0 : answer.status,
      p.title ?? 'The server failed',
      p.detail ?? `It answered ${answer.status}.`,
      p.problems ?? [],
      (data ?? {}) as Record<string, unknown>,
    )
  }
  return data as T
}

export const api = {
  session: () => call<SessionOut>('GET', '/session'),
  signIn: (username: string, password: string) => call<SessionOut>('POST', '/session', { username, password }),
  signOut: () => call<null>('DELETE', '/session'),
  jobs: (putAway: boolean) => call<JobLine[]>('GET', `/jobs?put_away=${putAway}`),
  createJob: (document: string | object) => call<JobLine>('POST', '/jobs', document),
  job: (id: string) => call<JobOut>('GET', `/jobs/${id}`),
  saveJob: (id: string, base_revision: number, document: Job) => call<Saved>('PUT', `/jobs/${id}`, { base_revision, document }),
  copyJob: (id: string) => call<JobLine>('POST', `/jobs/${id}/copy`),
  putAway: (id: string) => call<JobLine>('DELETE', `/jobs/${id}`),
  takeOut: (id: string) => call<JobLine>('POST', `/jobs/${id}/take-out`),
  revisions: (id: string) => call<RevisionLine[]>('GET', `/jobs/${id}/revisions`),
  revision: (id: string, n: number) => call<Job>('GET', `/jobs/${id}/revisions/${n}`),
  plan: (document: Job, signal?: AbortSignal) => call<Plan>('POST', '/plan', document, signal),
  library: () => call<ProfileLine[]>('GET', '/library'),
  order: (unit: string, document: Job, signal?: AbortSignal) => call<UnitOrder>('POST', `/order/${unit}`, document, signal),
  readFound: (profile: string, text: string) =>
    call<{ values: Record<string, string>; problems: ProblemOut[] }>('POST', `/as-found/${profile}`, text),
  profile: (id: string, revision?: number) =>
    call<Record<string, unknown>>('GET', `/library/${id}${revision ? `?revision=${revision}` : ''}`),
  createProfile: (document: string | object) => call<ProfileLine>('POST', '/library', document),
  saveProfile: (id: string, base: number, document: object) =>
    call<ProfileLine>('PUT', `/library/${id}?base_revision=${base}`, document),
  putAwayProfile: (id: string) => call<null>('DELETE', `/library/${id}`),
  versions: (id: string) => call<VersionLine[]>('GET', `/library/${id}/versions`),
  checkProfile: (document: object) => call<{ problems: ProblemOut[]; about: string }>('POST', '/library/check', document),
  tryProfile: (body: object) => call<TryOut>('POST', '/library/try', body),
  simulate: (document: Job, leadDays: number, signal?: AbortSignal) =>
    call<Simulation>('POST', `/simulate?lead_days=${leadDays}`, document, signal),
  readSeries: (text: string, step_min: number) => call<S['Series']>('POST', `/series?step_min=${step_min}`, text),
  startRun: (body: object) => call<RunOut>('POST', '/runs', body),
  run: (id: string) => call<RunOut>('GET', `/runs/${id}`),
  runResult: <T>(id: string) => call<T>('GET', `/runs/${id}/result`),
  cancelRun: (id: string) => call<RunOut>('DELETE', `/runs/${id}`),
  schema: (kind: string) => call<Record<string, unknown>>('GET', `/schema/${kind}`),
  protocols: () => call<ProtocolLine[]>('GET', '/protocols'),
  symptoms: () => call<SymptomLine[]>('GET', '/symptoms'),
  diagnose: (id: string, answers: Record<string, number>, document: Job | null) =>
    call<Diagnosis>('POST', `/symptoms/${id}`, document ? { answers, document } : { answers }),
  rules: () => call<RuleOut[]>('GET', '/rules'),
}
