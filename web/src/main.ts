import '@fontsource-variable/source-sans-3/wght.css'
import '@fontsource/source-code-pro/latin-400.css'
import 'element-plus/theme-chalk/base.css'
import 'element-plus/theme-chalk/el-dialog.css'
import 'element-plus/theme-chalk/el-drawer.css'
import 'element-plus/theme-chalk/el-overlay.css'
import { VueQueryPlugin } from '@tanstack/vue-query'
import { createApp } from 'vue'
import App from './App.vue'
import { router } from './router'
import { refreshSession } from './session/use-session'
import { tell } from './ui/tell'
import './styles/theme.css'

// Opens without a network once it was opened with one. Only where the browser lets it: on loopback, or over HTTPS. What is on
// screen comes first.
const AFTERWARDS_MS = 1500
if ('serviceWorker' in navigator && import.meta.env.PROD)
  window.setTimeout(() => void navigator.serviceWorker.register('/sw.js').catch(() => undefined), AFTERWARDS_MS)

const app = createApp(App)
// What goes wrong in the page itself is told; what was typed stands in the draft.
app.config.errorHandler = (error) => {
  console.error(error)
  void tell('Something in this page went wrong. What you typed is kept; if it stays so, load the page again.')
}
app.use(router).use(VueQueryPlugin, { queryClientConfig: { defaultOptions: { queries: { retry: 1, staleTime: 30_000 } } } })
// Who is signed in is asked for already; what is there in a moment is drawn once. A failure is told by the application.
const WAIT_MS = 300
const wait = new Promise((go) => setTimeout(go, WAIT_MS))
void Promise.race([Promise.allSettled([refreshSession(), router.isReady()]), wait]).then(() => app.mount('#app'))
