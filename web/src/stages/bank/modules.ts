// Helpers of the module table: names and starting figures of new rows. No rule of the trade is here.
export function freeId(taken: string[], stem = 'M'): string {
  for (let n = taken.length + 1; ; n++) if (!taken.includes(`${stem}${n}`)) return `${stem}${n}`
}

const LOCAL = new Set(['id', 'profile', 'resting_v'])

/** Figures a new nameplate row starts from: all of the last such row's, else what the plan proposes. */
export function moduleFigures(last: object | undefined, proposed: object = {}): Record<string, unknown> {
  if (!last || 'profile' in last) return { ...proposed }
  return Object.fromEntries(Object.entries(last).filter(([k]) => !LOCAL.has(k)))
}
