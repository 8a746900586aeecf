// A trade word explained where it stands: rest the pointer on it. No mark-up of the texts is needed.
import { useEventListener } from '@vueuse/core'
import { onBeforeUnmount, ref } from 'vue'

const REST_MS = 450
let words: Promise<Map<string, string>> | undefined
const load = () =>
  (words ??= import('../api/help.json').then(
    (m) => new Map(Object.entries((m.default as Record<string, Record<string, string>>).glossary ?? {})),
  ))
export const glossary = load

const escaped = (text: string) => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')
/** The trade word of a text that stands at a place in it, with what it means; plurals count. */
export function termAt(text: string, at: number, terms: Map<string, string>): [string, string] | null {
  for (const term of [...terms.keys()].sort((a, b) => b.length - a.length)) {
    const flags = term === term.toUpperCase() ? 'g' : 'gi'
    for (const found of text.matchAll(new RegExp(`(?<![\\w-])${escaped(term)}(?:e?s)?(?![\\w-])`, flags)))
      if (found.index <= at && at <= found.index + found[0].length) return [term, terms.get(term) as string]
  }
  return null
}

interface Tip {
  term: string
  text: string
  x: number
  y: number
}
/** What is to be shown of a word under a pointer that rests within `root`. */
export function useGlossary(root: () => HTMLElement | null) {
  const tip = ref<Tip | null>(null)
  let timer = 0
  function moved(event: PointerEvent) {
    window.clearTimeout(timer)
    tip.value = null
    const target = event.target as HTMLElement
    if (event.pointerType === 'touch' || target.closest('input, textarea, button, a, .helped, svg')) return
    timer = window.setTimeout(() => void look(event.clientX, event.clientY), REST_MS)
  }
  async function look(x: number, y: number) {
    const range = document.caretRangeFromPoint?.(x, y)
    const node = range?.startContainer
    if (!range || node?.nodeType !== Node.TEXT_NODE) return
    const found = termAt(node.textContent ?? '', range.startOffset, await load())
    if (!found) return
    // Only where the pointer is on the letters, not beside the end of a line.
    const around = document.createRange()
    around.selectNodeContents(node)
    const on = [...around.getClientRects()].some((r) => x >= r.left && x <= r.right && y >= r.top && y <= r.bottom)
    if (on) tip.value = { term: found[0], text: found[1], x: Math.min(x, window.innerWidth - 290), y: y + 18 }
  }
  useEventListener(root, 'pointermove', moved)
  onBeforeUnmount(() => window.clearTimeout(timer))
  return tip
}
