/** Give the reader a file of JSON, under a name without anything that a file name may not have. */
export function saveJson(name: string, data: unknown) {
  const a = document.createElement('a')
  a.href = URL.createObjectURL(new Blob([JSON.stringify(data, null, 2) + '\n'], { type: 'application/json' }))
  a.download = `${name.replace(/[^\w.-]+/g, '-')}.json`
  a.click()
  URL.revokeObjectURL(a.href)
}
