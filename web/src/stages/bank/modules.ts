// Helpers of the module table: names and starting figures of new rows. No rule of the trade is here.
export function freeId(taken: string[], stem = 'M'): string {
  for (let n = taken.length + 1; ; n++) if (!taken.includes(`${stem}${n}`)) return `${stem}${n}`
}

const OWN = new Set(['id', 'resting_v', 'serial', 'switches'])
const LOCAL = new Set([...OWN, 'profile'])

/** A module's figures but what belongs to this one alone. */
export const withoutOwn = (module: object): Record<string, unknown> =>
  Object.fromEntries(Object.entries(module).filter(([k]) => !OWN.has(k)))

/** Figures a new nameplate row starts from: all of the last such row's, else what the plan proposes. */
export function moduleFigures(last: object | undefined, proposed: object = {}): Record<string, unknown> {
  if (!last || 'profile' in last) return { ...proposed }
  return Object.fromEntries(Object.entries(last).filter(([k]) => !LOCAL.has(k)))
}
