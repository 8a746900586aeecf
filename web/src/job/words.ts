// The words of the job's fields, as the server tells them: label, unit, choices, default and stage by pointer.
import { shallowRef } from 'vue'
import type { FieldOut } from '../api/client'

const known = shallowRef<{ parts: string[]; words: FieldOut }[]>([])
export const learnFields = (fields: FieldOut[]) => {
  known.value = fields.map((words) => ({ parts: words.pointer.split('/').slice(1), words }))
}

/** The words of the field at a pointer, undefined where it has none of its own. */
export function wordsAt(pointer: string): FieldOut | undefined {
  const parts = pointer.split('/').slice(1)
  return known.value.find((f) => f.parts.length === parts.length && f.parts.every((p, i) => p === '*' || p === parts[i]))?.words
}
/** The words of the field at a pointer, or of the nearest that holds it. */
export function nearestWords(pointer: string): FieldOut | undefined {
  for (let at = pointer; at !== ''; at = at.slice(0, at.lastIndexOf('/'))) {
    const found = wordsAt(at)
    if (found) return found
  }
  return undefined
}
/** Words that speak of the mains as they are said at a site: of its generator, where that is all there is. */
export const fitting = (words: string, sources: readonly string[] | undefined): string =>
  !sources || sources.includes('mains') || !sources.includes('generator')
    ? words
    : words.replace(/mains/g, 'generator').replace(/Mains/g, 'Generator')

/** Every field that stands at one place: those of lists are told by their rows. */
export const singleFields = (): FieldOut[] => known.value.filter((f) => !f.parts.includes('*')).map((f) => f.words)

/** A pointer in words: the labels of what it goes through, rows by their own name or number. */
export function placeInWords(pointer: string, document: unknown): string {
  const out: string[] = []
  let node = document
  let at = ''
  for (const part of pointer.split('/').slice(1)) {
    at += `/${part}`
    node = node !== null && typeof node === 'object' ? (node as Record<string, unknown>)[part] : undefined
    const label = wordsAt(at)?.label
    const name = node !== null && typeof node === 'object' ? (node as Record<string, unknown>).id : undefined
    if (typeof name === 'string') out.push(name)
    else if (label) out.push(label)
    else if (/^\d+$/.test(part)) out.push(String(Number(part) + 1))
    else out.push(part.replace(/_/g, ' '))
  }
  return out.join(', ') || 'the whole job'
}
/** A stored value in words: choices by their word, figures with their unit. */
export function valueInWords(pointer: string, value: unknown): string {
  if (value === undefined || value === null) return 'nothing'
  const words = wordsAt(pointer)
  const key = typeof value === 'boolean' ? Number(value) : value
  const choice = words?.choices.find((c) => c.value === key)
  if (choice) return choice.word
  if (typeof value === 'number') return `${Number((value * (words?.scale ?? 1)).toPrecision(9))} ${words?.unit ?? ''}`.trim()
  if (typeof value === 'string') return value
  const text = JSON.stringify(value)
  return text.length > 60 ? `${text.slice(0, 57)}…` : text
}
