// What a setting may be, in plain words, and how such a figure is written on a display unless somebody says otherwise.
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import type { QuantityOut } from '../api/client'
import { queries } from '../api/queries'

const OTHER = 'something else'
export function useQuantities() {
  const told = useQuery(queries.quantities())
  const all = computed(() => new Map((told.data.value ?? []).map((q) => [q.name, q])))
  const wordOf = (name: string): string => {
    const q = all.value.get(name)
    return q ? `${q.word}${q.unit ? `, ${q.unit}` : ''}` : OTHER
  }
  const choices = computed(
    () => [['', OTHER], ...[...all.value.values()].map((q) => [q.name, wordOf(q.name)])] as [string, string][],
  )
  return { all, wordOf, choices }
}
/** A setting taken for a quantity: percent is kept as a part of one, times of day as HH:MM; choices stay as they are. */
export function asQuantity(setting: Record<string, unknown>, q: QuantityOut | undefined): Record<string, unknown> {
  const { encoding } = setting
  const rest = Object.fromEntries(Object.entries(setting).filter(([k]) => k !== 'quantity' && k !== 'encoding'))
  const kind = (encoding as { kind?: string } | undefined)?.kind
  const chosen = kind === 'choice' || kind === 'on-off'
  const own =
    !q || chosen
      ? chosen
        ? encoding
        : undefined
      : q.kind === 'soc' || q.kind === 'level'
        ? { kind: 'plain', scale: 100 }
        : q.kind === 'clock'
          ? { kind: 'hhmm' }
          : kind === 'per-2v-cell'
            ? encoding
            : undefined
  return { ...rest, ...(q ? { quantity: q.name } : {}), ...(own ? { encoding: own } : {}) }
}
