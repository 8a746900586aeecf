// Where things stand on the screens: stages in working order, and which stage shows a pointer.
export const STAGES = [
  'site',
  'bank',
  'units',
  'link',
  'limits',
  'thresholds',
  'sources',
  'windows',
  'sheet',
  'run',
  'proof',
  'handover',
] as const
export type Stage = (typeof STAGES)[number]
export const BUILT: readonly Stage[] = ['site', 'bank', 'units', 'link', 'limits', 'thresholds', 'sources', 'windows', 'sheet']

const PLACES: [string, Stage][] = [
  ['/policy/new_bank', 'bank'],
  ['/policy/mode', 'sources'],
  ['/policy/priority', 'sources'],
  ['/policy/source_order', 'sources'],
  ['/policy/charge_order', 'sources'],
  ['/policy/peak_cap_w', 'sources'],
  ['/policy/export_limit_w', 'sources'],
  ['/policy/outage_reserve_soc', 'sources'],
  ['/windows', 'windows'],
  ['/tariff', 'windows'],
  ['/flow', 'windows'],
  ['/policy/max_c_rate', 'limits'],
  ['/policy/max_discharge_c_rate', 'limits'],
  ['/policy/loop', 'link'],
  ['/policy/link_loss', 'link'],
  ['/link', 'link'],
  ['/policy', 'thresholds'],
  ['/bank', 'bank'],
  ['/units', 'units'],
  ['/sun', 'units'],
  ['/site', 'site'],
  ['/loads', 'site'],
  ['/mains', 'site'],
  ['/generator', 'sources'],
  ['/sheet_marks', 'sheet'],
  ['/as_found', 'sheet'],
  ['/extra_entries', 'sheet'],
]
export const stageOf = (pointer: string): Stage =>
  pointer.endsWith('/switches') ? 'link' : (PLACES.find(([start]) => pointer.startsWith(start))?.[1] ?? 'site')

let turns = 0
const fieldAt = (pointer: string) => document.querySelector<HTMLElement>(`[data-pointer="${pointer.replace(/["\\]/g, '\\$&')}"]`)

/** Whether the control for this very pointer is on the page. */
export const shows = (pointer: string): boolean => fieldAt(pointer) !== null

/** Focus the control for a pointer, or the nearest one that holds it; returns whether one was found. */
export function goToPointer(pointer: string): boolean {
  let at = pointer
  for (;;) {
    const found = fieldAt(at)
    if (found) {
      const settle = () => found.scrollIntoView({ block: 'center', behavior: 'auto' })
      settle()
      if (found.tabIndex < 0 && !found.hasAttribute('tabindex')) found.tabIndex = -1
      found.focus({ preventScroll: true })
      const turn = String(++turns)
      found.setAttribute('data-flash', turn)
      // Figures above it may still grow when their data come.
      window.setTimeout(() => document.activeElement === found && settle(), 400)
      window.setTimeout(() => found.getAttribute('data-flash') === turn && found.removeAttribute('data-flash'), 1700)
      return true
    }
    if (at === '') return false
    at = at.slice(0, at.lastIndexOf('/'))
  }
}
