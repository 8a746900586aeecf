// The profiles a job may name, read once.
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api } from '../api/client'

export function useLibrary() {
  const list = useQuery({ queryKey: ['library'], queryFn: api.library, staleTime: Infinity })
  const profiles = computed(() => list.data.value ?? [])
  const of = (kind: string) => profiles.value.filter((p) => p.kind === kind)
  const nameOf = (id: string) => profiles.value.find((p) => p.id === id)?.name ?? id
  /** What pins a profile of the crew's own in its newest version in a job that does not pin it yet, for beside what uses it. */
  function pinned(job: { at: (pointer: string) => unknown }, kind: string, id: string): [string, unknown][] {
    const pin = of(kind).find((p) => p.id === id && p.own)?.revision
    const at = `/profile_revisions/${id}`
    return pin && !job.at(at) ? [[at, pin]] : []
  }
  return { of, nameOf, pinned }
}
