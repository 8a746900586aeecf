// Helpers of the module table: names and starting figures of new rows. No rule of the trade is here.
export function freeId(taken: string[], stem = 'M'): string {
  for (let n = taken.length + 1; ; n++) if (!taken.includes(`${stem}${n}`)) return `${stem}${n}`
}

const START = { series_cells: 16, capacity_ah: 100, charge_a: 50, discharge_a: 100 }
const LOCAL = new Set(['id', 'profile', 'resting_v'])

/** Figures a new nameplate row starts from: the last such row's, or a common small module. */
export function moduleFigures(last: object | undefined): Record<string, unknown> {
  if (!last || 'profile' in last) return { ...START }
  return Object.fromEntries(Object.entries(last).filter(([k]) => !LOCAL.has(k)))
}
