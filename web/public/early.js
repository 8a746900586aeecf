// The first questions are asked while the application is still on its way; it takes the answers over (src/api/client.ts).
{
  const job = /^\/jobs\/([0-9a-f-]{36})/.exec(window.location.pathname)?.[1]
  const asked = ['/api/session']
  if (job) asked.push('/api/stages?limit=500&offset=0', '/api/fields?limit=500&offset=0', `/api/jobs/${job}`)
  const headers = { Accept: 'application/json' }
  window.early = new Map(asked.map((url) => [url, fetch(url, { headers }).catch(() => null)]))
}
