// One way to the server: typed paths in, typed answers out, every failure an ApiProblem with the server's own words.
import createClient, { type Middleware } from 'openapi-fetch'
import type { paths } from './schema'
import type { EventData } from '../record/types'
import type {
  Act,
  Chemistry,
  Job,
  Opening,
  Preferences,
  Role,
  ProblemDetails,
  ProblemOut,
  PortSettings,
  PracticeTry,
  ProfileData,
  RigAct,
  SessionOut,
  TakeIn,
  TryAsked,
  TryIn,
  Visit,
  WorkIn,
} from './types'

export type * from './types'

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
  /** What is wrong, and what would be right, in one sentence or two. */
  get inWords(): string {
    const first = this.problems[0]
    return first ? `${first.message}; right would be ${first.expected}.` : `${this.title}. ${this.detail}`
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

const token: Middleware = {
  onRequest({ request }) {
    if (request.method !== 'GET') request.headers.set('X-CSRFToken', csrf)
    return request
  },
}
declare global {
  interface Window {
    early?: { place: string; answer: Promise<Response | null> }
  }
}
const EARLY_MS = 10_000
let early: Promise<unknown> | undefined
/** The answer to the question that was asked before this code was here, only while it is good; null where it was another, or failed. */
function askedEarly<T>(place: string): Promise<T | null> {
  if (window.early?.place !== place || performance.now() > EARLY_MS) return Promise.resolve(null)
  early ??= window.early.answer.then((told) => (told?.ok ? told.json() : null)).catch(() => null)
  return early as Promise<T | null>
}
// A document that was dropped or pasted goes as it is, so that the server says what is wrong with it.
const asTyped = (body: unknown) => (typeof body === 'string' ? body : JSON.stringify(body))
const http = createClient<paths>({
  baseUrl: window.location.origin,
  credentials: 'same-origin',
  headers: { Accept: 'application/json' },
  bodySerializer: asTyped,
  fetch: (request) => globalThis.fetch(request),
})
http.use(token)

interface Answer<T> {
  data?: T
  error?: unknown
  response: Response
}
/** The answer's data; throws an ApiProblem for a refusal, a failure, and a server that is away. `signing`: while signing in. */
async function told<T>(asked: Promise<Answer<T>>, signing = false): Promise<T> {
  let answer: Answer<T>
  try {
    answer = await asked
  } catch (error) {
    if (error instanceof DOMException && error.name === 'AbortError') throw error
    throw new ApiProblem(
      0,
      'The server cannot be reached',
      'What you typed is kept on this device and sent when the server is back.',
    )
  }
  const { status, ok } = answer.response
  if (ok) return (answer.data ?? null) as T
  const body = (typeof answer.error === 'object' && answer.error !== null ? answer.error : {}) as Partial<ProblemDetails>
  if (status === 401 && !signing) signedOut()
  // A proxy's answer says that the server is away; the server's own says what is the matter.
  const gateway = status >= 502 && status <= 504 && !body.title
  throw new ApiProblem(
    gateway ? 0 : status,
    body.title ?? 'The server failed',
    body.detail ?? `It answered ${status}.`,
    body.problems ?? [],
    body as Record<string, unknown>,
  )
}

interface PageOf<T> {
  items: T[]
  total: number
}
const MOST = 500
/** All items of a list, page after page. */
async function everything<T>(page: (limit: number, offset: number) => Promise<PageOf<T>>): Promise<T[]> {
  const out: T[] = []
  for (;;) {
    const part = await page(MOST, out.length)
    out.push(...part.items)
    if (out.length >= part.total || !part.items.length) return out
  }
}
const path = <P extends object>(p: P) => ({ params: { path: p } })
const query = <Q extends object>(q: Q) => ({ params: { query: q } })
const job = (id: string) => path({ id })
type Doc = Job & string
/** What the list of jobs is asked for. */
export interface JobsAsked {
  put_away: boolean
  words?: string
  state?: 'stop' | 'caution' | 'clear'
  stage?: string
  sort?: 'saved' | 'name' | 'state'
}

/** What was asked early is taken over once by each who wants it. */
const taken = { session: false, job: false }

export const api = {
  /** Who is signed in; what a page that opens a job is told of it counts too. */
  async session(): Promise<SessionOut> {
    const place = window.early?.place ?? ''
    const there = await askedEarly<Opening & SessionOut>(place)
    const first = taken.session ? null : (there?.session ?? there)
    taken.session = true
    return first ?? told(http.GET('/api/session'))
  },
  signIn: (username: string, password: string) => told(http.POST('/api/session', { body: { username, password } }), true),
  keepPreferences: (body: Preferences) => told(http.PUT('/api/session/preferences', { body })),
  signOut: () => told(http.DELETE('/api/session')),
  stay: () => told(http.POST('/api/session/stay')),
  changePassword: (old: string, fresh: string) => told(http.POST('/api/session/password', { body: { old, new: fresh } })),
  changeCrew: (id: number) => told(http.PUT('/api/session/crew', { body: { id } })),
  signIns: () => told(http.GET('/api/session/sign-ins', query({ limit: 50 }))),
  signOutElsewhere: () => told(http.DELETE('/api/session/sign-ins')),
  invitation: (token: string) => told(http.GET('/api/session/invitations/{token}', path({ token }))),
  join: (token: string, username: string, password: string) =>
    told(http.POST('/api/session/invitations/{token}', { ...path({ token }), body: { username, password } }), true),

  crew: () => told(http.GET('/api/crew')),
  people: () => everything((limit, offset) => told(http.GET('/api/crew/people', query({ limit, offset })))),
  setRole: (id: number, role: Role) => told(http.PUT('/api/crew/people/{id}', { ...path({ id }), body: { role } })),
  takeOutPerson: (id: number) => told(http.DELETE('/api/crew/people/{id}', path({ id }))),
  invitations: () => told(http.GET('/api/crew/invitations', query({ limit: 50 }))),
  invite: (role: Role, note: string) => told(http.POST('/api/crew/invitations', { body: { role, note } })),
  takeInvitationBack: (id: number) => told(http.DELETE('/api/crew/invitations/{id}', path({ id }))),
  trail: (limit: number, offset: number) => told(http.GET('/api/crew/trail', query({ limit, offset }))),
  setKeeping: (keep_revisions: number) => told(http.PUT('/api/crew/keeping', { body: { keep_revisions } })),

  jobs: (asked: JobsAsked, limit = 40, offset = 0) => told(http.GET('/api/jobs', query({ ...asked, limit, offset }))),
  withJobs: (ids: string[], act: 'put-away' | 'take-out' | 'copy') =>
    told(http.POST('/api/jobs/together', { body: { ids, act } })),
  createJob: (document: string | object) => told(http.POST('/api/jobs', { body: document as Doc })),
  job: (id: string) => told(http.GET('/api/jobs/{id}', job(id))),
  /** All that a page needs to open a job. */
  async opening(id: string): Promise<Opening> {
    const there = taken.job ? null : await askedEarly<Opening>(`/api/jobs/${id}/opening`)
    taken.job = true
    return there ?? told(http.GET('/api/jobs/{id}/opening', job(id)))
  },
  saveJob: (id: string, base_revision: number, document: Job) =>
    told(http.PUT('/api/jobs/{id}', { ...job(id), body: { base_revision, document } })),
  copyJob: (id: string) => told(http.POST('/api/jobs/{id}/copy', job(id))),
  putAway: (id: string) => told(http.DELETE('/api/jobs/{id}', job(id))),
  takeOut: (id: string) => told(http.POST('/api/jobs/{id}/take-out', job(id))),
  revisions: (id: string, limit: number, offset: number) =>
    told(http.GET('/api/jobs/{id}/revisions', { params: { path: { id }, query: { limit, offset } } })),
  compare: (id: string, number: number, other: number) =>
    everything((limit, offset) =>
      told(
        http.GET('/api/jobs/{id}/revisions/{number}/against/{other}', {
          params: { path: { id, number, other }, query: { limit, offset } },
        }),
      ),
    ),
  restore: (id: string, number: number, base_revision: number) =>
    told(http.POST('/api/jobs/{id}/revisions/{number}/restore', { ...path({ id, number }), body: { base_revision } })),
  deleteForGood: (id: string) => told(http.POST('/api/jobs/{id}/delete-for-good', job(id))),
  revision: (id: string, number: number) => told(http.GET('/api/jobs/{id}/revisions/{number}', path({ id, number }))),

  plan: (document: Job, signal?: AbortSignal) => told(http.POST('/api/plan', { body: document, signal })),
  order: (unit: string, document: Job, signal?: AbortSignal) =>
    told(http.POST('/api/order/{unit}', { ...path({ unit }), body: document, signal })),
  trial: (document: Job, asFound: boolean, signal?: AbortSignal) =>
    told(http.POST('/api/trial', { ...query({ as_found: asFound }), body: document, signal })),
  readFound: (profile: string, text: string) =>
    told(http.POST('/api/as-found/{profile}', { ...path({ profile }), body: text, headers: { 'Content-Type': 'text/plain' } })),

  live: (id: string) => told(http.GET('/api/jobs/{id}/live', job(id))),
  addPort: (id: string, device: string, settings: PortSettings) =>
    told(http.POST('/api/jobs/{id}/ports', { ...job(id), body: { device, settings } })),
  dropPort: (id: string, port: string) => told(http.DELETE('/api/jobs/{id}/ports/{port}', path({ id, port }))),
  letWrite: (id: string, port: string, writes: boolean) =>
    told(http.PUT('/api/jobs/{id}/ports/{port}/writes', { ...path({ id, port }), body: { writes } })),
  readByCable: (id: string, port: string, kind: 'as-found' | 'read-back') =>
    told(http.POST('/api/jobs/{id}/ports/{port}/reads', { ...path({ id, port }), body: { kind } })),
  writeByCable: (id: string, port: string, step: string) =>
    told(http.POST('/api/jobs/{id}/ports/{port}/writes', { ...path({ id, port }), body: { step, at_the_unit: true } })),
  cableTask: (id: string, task: string) => told(http.GET('/api/jobs/{id}/reads/{task}', path({ id, task }))),
  stopCable: (id: string, task: string) => told(http.DELETE('/api/jobs/{id}/reads/{task}', path({ id, task }))),
  startRig: (id: string, entries: 'planned' | 'found' | 'factory', faults: string[] = []) =>
    told(http.POST('/api/jobs/{id}/rig', { ...job(id), body: { entries, faults } as never })),
  endRig: (id: string) => told(http.DELETE('/api/jobs/{id}/rig', job(id))),
  actOnRig: (id: string, asked: RigAct) => told(http.POST('/api/jobs/{id}/rig/acts', { ...job(id), body: asked as never })),

  links: (id: string) => told(http.GET('/api/jobs/{id}/links', { params: { path: { id }, query: { limit: 50 } } })),
  makeLink: (id: string, days: number, note: string) =>
    told(http.POST('/api/jobs/{id}/links', { ...job(id), body: { days, note } })),
  endLink: (id: string, link: number) => told(http.DELETE('/api/jobs/{id}/links/{link}', path({ id, link }))),
  printed: (id: string) => told(http.GET('/api/jobs/{id}/printed', { params: { path: { id }, query: { limit: 400 } } })),
  notePrinted: (id: string, device: string, entries: Record<string, string>) =>
    told(http.PUT('/api/jobs/{id}/printed/{device}', { ...path({ id, device }), body: { entries } })),

  run: (id: string, visit: Visit = 'full') =>
    told(http.GET('/api/jobs/{id}/run', { params: { path: { id }, query: { visit } } })),
  record: (id: string) => told(http.GET('/api/jobs/{id}/record', job(id))),
  events: (id: string, after: number) =>
    told(http.GET('/api/jobs/{id}/events', { params: { path: { id }, query: { after, limit: 1000 } } })),
  sendEvents: (id: string, events: EventData[]) =>
    told(http.POST('/api/jobs/{id}/events', { ...job(id), body: { events: events as never } })),
  sendPhoto: (id: string, key: string, photo: Blob) =>
    told(
      http.PUT('/api/jobs/{id}/photos/{key}', {
        ...path({ id, key }),
        body: photo as never,
        bodySerializer: (body: unknown) => body as Blob,
        headers: { 'Content-Type': 'application/octet-stream' },
      }),
    ),
  tries: () => everything((limit, offset) => told(http.GET('/api/practice', query({ limit, offset })))),
  beginTry: (asked: TryAsked) => told(http.POST('/api/practice', { body: asked as never })) as Promise<PracticeTry>,
  readTry: (id: string) => told(http.GET('/api/practice/{id}', path({ id }))),
  actInTry: (id: string, act: Act) => told(http.POST('/api/practice/{id}/acts', { ...path({ id }), body: act as never })),
  handOn: (id: string) => told(http.GET('/api/practice/{id}/scenario', path({ id }))),
  measuredLogs: (id: string) => told(http.GET('/api/jobs/{id}/logs', job(id))),
  beginLog: (id: string, name: string, size: number) =>
    told(http.POST('/api/jobs/{id}/logs', { ...job(id), body: { name, size } })),
  sendLogPart: (id: string, log: string, number: number, part: Blob, signal: AbortSignal) =>
    told(
      http.PUT('/api/jobs/{id}/logs/{log}/parts/{number}', {
        ...path({ id, log, number }),
        body: part as never,
        bodySerializer: (body: unknown) => body as Blob,
        headers: { 'Content-Type': 'application/octet-stream' },
        signal,
      }),
    ),
  readMeasuredLog: (id: string, log: string, mapping: Record<string, string | null> | null, signal?: AbortSignal) =>
    told(http.POST('/api/jobs/{id}/logs/{log}/read', { ...path({ id, log }), body: { mapping }, ...(signal ? { signal } : {}) })),
  logReport: (id: string, log: string) => told(http.GET('/api/jobs/{id}/logs/{log}', path({ id, log }))),
  logSeries: (id: string, log: string, columns: string[], from_s: number, to_s: number, most: number) =>
    told(
      http.GET('/api/jobs/{id}/logs/{log}/series', {
        params: { path: { id, log }, query: { columns: columns.join(','), from_s, to_s, most } },
      }),
    ),
  dropLog: (id: string, log: string) => told(http.DELETE('/api/jobs/{id}/logs/{log}', path({ id, log }))),
  readLog: (id: string, text: string, mapping: Record<string, string> | null) =>
    told(http.POST('/api/jobs/{id}/log', { ...job(id), body: { text, mapping } })),
  instruments: () => told(http.GET('/api/instruments')),
  keepInstrument: (meter: object) => told(http.PUT('/api/instruments', { body: meter as never })),
  dropInstrument: (name: string) => told(http.DELETE('/api/instruments/{name}', path({ name }))),
  handovers: (id: string) => told(http.GET('/api/jobs/{id}/handovers', { params: { path: { id }, query: {} } })),
  seal: (id: string, paper: 'A4' | 'Letter') => told(http.POST('/api/jobs/{id}/handovers', { ...job(id), body: { paper } })),
  verify: (file: Blob, key: string) =>
    told(
      http.POST('/api/verify', {
        ...query({ key }),
        body: file as never,
        bodySerializer: (body: unknown) => body as Blob,
        headers: { 'Content-Type': 'application/octet-stream' },
      }),
    ),
  due: () => told(http.GET('/api/due')),
  makeFeed: () => told(http.POST('/api/due/feed')),
  endFeed: () => told(http.DELETE('/api/due/feed')),

  library: () => everything((limit, offset) => told(http.GET('/api/library', query({ limit, offset })))),
  profile: (id: string, revision?: number) =>
    told(
      http.GET('/api/library/{id}', { params: { path: { id }, query: revision ? { revision } : {} } }),
    ) as Promise<ProfileData>,
  createProfile: (document: string | object) => told(http.POST('/api/library', { body: document as never })),
  saveProfile: (id: string, base_revision: number, document: object) =>
    told(http.PUT('/api/library/{id}', { params: { path: { id }, query: { base_revision } }, body: document as never })),
  putAwayProfile: (id: string) => told(http.DELETE('/api/library/{id}', path({ id }))),
  versions: (id: string) =>
    everything((limit, offset) =>
      told(http.GET('/api/library/{id}/versions', { params: { path: { id }, query: { limit, offset } } })),
    ),
  checkProfile: (document: string | object, signal?: AbortSignal) =>
    told(http.POST('/api/library/check', { body: document as never, signal })),
  lacksOf: (document: object) => told(http.POST('/api/library/lacks', { body: document as Record<string, never> })),
  differences: (before: object, after: object) =>
    told(http.POST('/api/library/differences', { body: { before, after } as never })),
  uses: () => told(http.GET('/api/library/uses', {})),
  usesOf: (id: string) => told(http.GET('/api/library/{id}/uses', path({ id }))),
  tryPlan: (profile: object) => told(http.POST('/api/library/try-plan', { body: profile as Record<string, never> })),
  takeRows: (body: TakeIn) => told(http.POST('/api/library/take', { body })),
  readRegisters: (profile: ProfileData, table: string) =>
    told(http.POST('/api/library/registers', { body: { profile: profile as never, table } })),
  readTable: (table: string | Blob, kind: string, class_v?: number) =>
    told(
      http.POST('/api/library/table', {
        params: { query: { kind, class_v } },
        body: table as never,
        bodySerializer: (body: unknown) => body as Blob,
        headers: { 'Content-Type': 'application/octet-stream' },
      }),
    ),
  awayProfiles: () => everything((limit, offset) => told(http.GET('/api/library', query({ limit, offset, put_away: true })))),
  takeOutProfile: (id: string) => told(http.POST('/api/library/{id}/take-out', path({ id }))),
  tryProfile: (body: object) => told(http.POST('/api/library/try', { body: body as TryIn })),

  simulate: (document: Job, lead_days: number, signal?: AbortSignal) =>
    told(http.POST('/api/simulate', { ...query({ lead_days }), body: document, signal })),
  readSeries: (text: string, step_min: number) =>
    told(http.POST('/api/series', { ...query({ step_min }), body: text, headers: { 'Content-Type': 'text/csv' } })),
  startWork: (body: WorkIn) => told(http.POST('/api/work', { body })),
  work: (id: string) => told(http.GET('/api/work/{id}', path({ id }))),
  workResult: <T>(id: string) => told(http.GET('/api/work/{id}/result', path({ id }))) as Promise<T>,
  cancelWork: (id: string) => told(http.DELETE('/api/work/{id}', path({ id }))),

  symptoms: () => everything((limit, offset) => told(http.GET('/api/symptoms', query({ limit, offset })))),
  diagnose: (id: string, answers: Record<string, number>, document: Job | null, signal?: AbortSignal) =>
    told(http.POST('/api/symptoms/{id}', { ...path({ id }), body: document ? { answers, document } : { answers }, signal })),
  stages: () => everything((limit, offset) => told(http.GET('/api/stages', query({ limit, offset })))),
  protocols: () => everything((limit, offset) => told(http.GET('/api/protocols', query({ limit, offset })))),
  rules: (chemistry: Chemistry = 'lfp') =>
    everything((limit, offset) => told(http.GET('/api/rules', query({ limit, offset, chemistry })))),
  quantities: () => everything((limit, offset) => told(http.GET('/api/quantities', query({ limit, offset })))),
  schema: (kind: string) => told(http.GET('/api/schema/{kind}', path({ kind }))) as Promise<Record<string, unknown>>,
}
