// The first question is asked while the application is still on its way; it takes the answer over (src/api/client.ts).
{
  const job = /^\/jobs\/([0-9a-f-]{36})/.exec(window.location.pathname)?.[1]
  const place = job ? `/api/jobs/${job}/opening` : '/api/session'
  window.early = { place, answer: fetch(place, { headers: { Accept: 'application/json' } }).catch(() => null) }
}
