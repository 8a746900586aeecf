import { ref } from 'vue'
import { api, onSignedOut, setCsrf, type SessionOut } from '../api/client'

export const session = ref<SessionOut | null>(null)

export function accept(next: SessionOut) {
  session.value = next
  setCsrf(next.csrf)
}
export const refreshSession = async () => accept(await api.session())
onSignedOut(() => void refreshSession())
