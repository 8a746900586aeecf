import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { api, ApiProblem, onSignedOut, setCsrf } from '../src/api/client'

const answer = (status: number, body: unknown = null, type = 'application/json') =>
  new Response(body === null ? null : typeof body === 'string' ? body : JSON.stringify(body), {
    status,
    headers: { 'Content-Type': type },
  })

describe('the way to the server', () => {
  const fetched = vi.fn<typeof fetch>()
  beforeEach(() => vi.stubGlobal('fetch', fetched.mockReset()))
  afterEach(() => {
    vi.unstubAllGlobals()
    setCsrf('')
    onSignedOut(() => undefined)
  })
  const asked = () => fetched.mock.calls[0]?.[0] as Request
  const failure = (status: number, body: unknown = null) => {
    fetched.mockResolvedValueOnce(answer(status, body))
    return api.job('x').then(
      () => expect.unreachable(),
      (e: ApiProblem) => e,
    )
  }

  it('reads JSON and sends no token where nothing is changed', async () => {
    setCsrf('token')
    fetched.mockResolvedValueOnce(answer(200, { a: 1 }))
    expect(await api.job('x')).toEqual({ a: 1 })
    const sent = asked()
    expect(new URL(sent.url).pathname).toBe('/api/jobs/x')
    expect(sent.headers.get('Accept')).toBe('application/json')
    expect(sent.headers.has('X-CSRFToken')).toBe(false)
  })
  it('sends the token and the type with every change', async () => {
    setCsrf('token')
    fetched.mockResolvedValueOnce(answer(200, {}))
    await api.saveJob('x', 3, { a: 1 } as never)
    const sent = asked()
    expect(await sent.text()).toBe('{"base_revision":3,"document":{"a":1}}')
    expect([sent.headers.get('X-CSRFToken'), sent.headers.get('Content-Type'), sent.credentials]).toEqual([
      'token',
      'application/json',
      'same-origin',
    ])
  })
  it('sends text as it was typed, so that the server says what is wrong with it', async () => {
    fetched.mockResolvedValueOnce(answer(200, {}))
    await api.createJob('{ not json')
    expect(await asked().text()).toBe('{ not json')
  })
  it('takes an empty answer', async () => {
    fetched.mockResolvedValueOnce(answer(204))
    expect(await api.signOut()).toBeNull()
  })
  it('keeps the words and the places of a refusal', async () => {
    const problems = [{ pointer: '/bank/fuse_a', message: 'too low', value: -5, expected: 'more than 0' }]
    const e = await failure(422, { title: 'Refused', detail: 'One thing is wrong.', problems, extra: 7 })
    expect([e.status, e.title, e.message, e.problems, e.body.extra]).toEqual([422, 'Refused', 'One thing is wrong.', problems, 7])
    expect(e.offline).toBe(false)
  })
  it.each([502, 503, 504])('takes %i for a server that is away', async (status) =>
    expect((await failure(status)).offline).toBe(true),
  )
  it('takes a broken line for a server that is away, and says that nothing is lost', async () => {
    fetched.mockRejectedValueOnce(new TypeError('Failed to fetch'))
    const e = await api.job('x').catch((x: ApiProblem) => x)
    expect(e).toBeInstanceOf(ApiProblem)
    expect((e as ApiProblem).offline).toBe(true)
    expect((e as ApiProblem).message).toContain('kept on this device')
  })
  it('does not call a question that was dropped a failure', async () => {
    fetched.mockRejectedValueOnce(new DOMException('stop', 'AbortError'))
    await expect(api.job('x')).rejects.toBeInstanceOf(DOMException)
  })
  it('speaks even where the answer is a page and not JSON', async () => {
    const e = await failure(500, '<html>')
    expect(e.title).toBe('The server failed')
    expect(e.message).toBe('It answered 500.')
  })
  it('tells when nobody is signed in any more, but not while signing in', async () => {
    const told = vi.fn()
    onSignedOut(told)
    await failure(401, { title: 'Sign in', detail: 'Sign in first.' })
    expect(told).toHaveBeenCalledTimes(1)
    fetched.mockResolvedValueOnce(answer(401, { title: 'No', detail: 'Wrong.' }))
    await expect(api.signIn('a', 'b')).rejects.toThrow('Wrong.')
    expect(told).toHaveBeenCalledTimes(1)
  })
  it.each([
    [() => api.jobs({ put_away: true }), 'GET', '/api/jobs?put_away=true&limit=40&offset=0'],
    [() => api.profile('x', 3), 'GET', '/api/library/x?revision=3'],
    [() => api.profile('x'), 'GET', '/api/library/x'],
    [() => api.saveProfile('x', 2, {}), 'PUT', '/api/library/x?base_revision=2'],
    [() => api.simulate({} as never, 3), 'POST', '/api/simulate?lead_days=3'],
    [() => api.readSeries('1\n2', 15), 'POST', '/api/series?step_min=15'],
    [() => api.cancelWork('r'), 'DELETE', '/api/work/r'],
    [() => api.takeOut('j'), 'POST', '/api/jobs/j/take-out'],
  ])('asks at the right place (%#)', async (ask, method, path) => {
    fetched.mockResolvedValueOnce(answer(200, {}))
    await ask()
    const { pathname, search } = new URL(asked().url)
    expect(pathname + search).toBe(path)
    expect(asked().method).toBe(method)
  })
  it('keeps what the fault finder knows of the job apart from what was answered', async () => {
    fetched.mockResolvedValue(answer(200, {}))
    await api.diagnose('dark', { a: 1 }, null)
    expect(await asked().text()).toBe('{"answers":{"a":1}}')
  })
  it('reads a list to its end, page after page', async () => {
    fetched
      .mockResolvedValueOnce(answer(200, { items: ['a', 'b'], total: 3 }))
      .mockResolvedValueOnce(answer(200, { items: ['c'], total: 3 }))
    expect(await api.rules()).toEqual(['a', 'b', 'c'])
    expect(fetched.mock.calls.map(([r]) => new URL((r as Request).url).searchParams.get('offset'))).toEqual(['0', '2'])
  })
})
