// The profiles a job may name, read once.
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api } from '../api/client'

export function useLibrary() {
  const list = useQuery({ queryKey: ['library'], queryFn: api.library, staleTime: Infinity })
  const profiles = computed(() => list.data.value ?? [])
  const of = (kind: string) => profiles.value.filter((p) => p.kind === kind)
  const nameOf = (id: string) => profiles.value.find((p) => p.id === id)?.name ?? id
  return { of, nameOf }
}
