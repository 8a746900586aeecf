// Bringing a person to the control for a pointer.
let turns = 0
const CONTROL = 'input:not([disabled]), textarea, select, button, [tabindex]'
const fieldAt = (pointer: string) => document.querySelector<HTMLElement>(`[data-pointer="${pointer.replace(/["\\]/g, '\\$&')}"]`)

/** Whether the control for this very pointer is on the page. */
export const shows = (pointer: string): boolean => fieldAt(pointer) !== null

/** Focus the control for a pointer, or the nearest one that holds it; returns whether one was found. `still`: the field as a whole, so that keys are not typed into it. */
export function goToPointer(pointer: string, still = false): boolean {
  let at = pointer
  for (;;) {
    const found = fieldAt(at)
    if (found) {
      for (let d = found.closest('details'); d; d = d.parentElement?.closest('details') ?? null) d.setAttribute('open', '')
      // A control made of parts is focused at the part that takes keys; a group as a whole.
      const inner = found.matches('.el-select, .control') ? found.querySelector<HTMLElement>(CONTROL) : null
      const target = (still ? found.closest<HTMLElement>('.field') : null) ?? inner ?? found
      const settle = () => found.scrollIntoView({ block: 'center', behavior: 'auto' })
      settle()
      if (target.tabIndex < 0 && !target.hasAttribute('tabindex')) target.tabIndex = -1
      target.focus({ preventScroll: true })
      const turn = String(++turns)
      found.setAttribute('data-flash', turn)
      // Figures above it may still grow when their data come.
      window.setTimeout(() => document.activeElement === target && settle(), 400)
      window.setTimeout(() => found.getAttribute('data-flash') === turn && found.removeAttribute('data-flash'), 1700)
      return true
    }
    if (at === '') return false
    at = at.slice(0, at.lastIndexOf('/'))
  }
}
