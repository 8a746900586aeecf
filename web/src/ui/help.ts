// v-help="'Bank.capacity_ah'": what a figure is, with its unit, from the server's own description of the field.
import type { Directive } from 'vue'

type Help = Record<string, Record<string, string>>
let words: Promise<Help> | undefined
const load = () => (words ??= import('../api/help.json').then((m) => m.default as Help))

/** The description of a result's field; empty where there is none. */
export async function helpFor(name: string): Promise<string> {
  const [part = '', field = ''] = name.split('.')
  return (await load())[part]?.[field] ?? ''
}

async function say(element: HTMLElement, name: string) {
  const text = await helpFor(name)
  if (!text) return
  element.title = text
  element.classList.add('helped')
}

export const vHelp: Directive<HTMLElement, string> = {
  mounted: (element, binding) => void say(element, binding.value),
  updated: (element, binding) => {
    if (binding.value !== binding.oldValue) void say(element, binding.value)
  },
}
