import { ref, watchEffect } from 'vue'

export type Theme = 'sun' | 'garage'
const stored = localStorage.getItem('ewerer:theme') as Theme | null
export const theme = ref<Theme>(stored ?? (window.matchMedia?.('(prefers-color-scheme: dark)').matches ? 'garage' : 'sun'))

watchEffect(() => {
  document.documentElement.classList.toggle('dark', theme.value === 'garage')
  localStorage.setItem('ewerer:theme', theme.value)
})
export const otherTheme = () => (theme.value = theme.value === 'sun' ? 'garage' : 'sun')
