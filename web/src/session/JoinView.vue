<script setup lang="ts">
// An invitation's link: what it is to, and a name and a password for somebody new.
import { onMounted, ref } from 'vue'
import { useRouter } from 'vue-router'
import { api, ApiProblem } from '../api/client'
import PlainInput from '../ui/PlainInput.vue'
import { moment } from '../ui/figures'
import ShowTyped from './ShowTyped.vue'
import { accept, session } from './use-session'

const router = useRouter()
const token = String(router.currentRoute.value.params.token)
const invited = ref<Awaited<ReturnType<typeof api.invitation>> | null>(null)
const none = ref(false)
const name = ref('')
const password = ref('')
const failure = ref('')
const busy = ref(false)
const shown = ref(false)
onMounted(async () => {
  document.title = 'Join a crew · Ewerer'
  try {
    invited.value = await api.invitation(token)
  } catch (error) {
    if (!(error instanceof ApiProblem)) throw error
    none.value = error.status === 404
    if (!none.value) failure.value = `${error.title}. ${error.detail}`
  }
})
async function join() {
  busy.value = true
  failure.value = ''
  try {
    accept(await api.join(token, name.value.trim(), password.value))
    await router.replace('/')
  } catch (error) {
    if (!(error instanceof ApiProblem)) throw error
    failure.value = error.inWords
    if (error.status === 404) none.value = true
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <main class="join">
    <h1 class="word">Ewerer<i>.</i></h1>
    <template v-if="none">
      <p class="lede">This invitation is used, too old, or was taken back.</p>
      <p>Ask a lead of the crew for another one. <RouterLink to="/">To the jobs</RouterLink></p>
    </template>
    <form v-else-if="invited" @submit.prevent="join">
      <p class="lede">
        You are invited to <b>{{ invited.crew }}</b> as a {{ invited.role }}. The link is good until {{ moment(invited.until) }}.
      </p>
      <template v-if="session?.signed_in">
        <button class="first" :disabled="busy">Join as {{ session.user }}</button>
      </template>
      <template v-else>
        <label for="join-name">Name to sign in with</label>
        <PlainInput id="join-name" v-model="name" autocomplete="username" required maxlength="150" />
        <label for="join-password">Password</label>
        <PlainInput
          id="join-password"
          v-model="password"
          :type="shown ? 'text' : 'password'"
          autocomplete="new-password"
          required
        />
        <ShowTyped v-model="shown" />
        <p class="soft small">At least 12 characters; spaces are allowed. Not like your name, and no common password.</p>
        <button class="first" :disabled="busy || !name || !password">Join</button>
        <p class="small">Here already? <RouterLink to="/">Sign in</RouterLink>, and open the link again.</p>
      </template>
      <p v-if="failure" class="why" role="alert">{{ failure }}</p>
    </form>
    <p v-else class="lede" role="status">{{ failure || 'Reading the invitation' }}</p>
  </main>
</template>

<style scoped>
.join button {
  justify-content: center;
}
.join {
  min-height: 100vh;
  display: grid;
  align-content: center;
  justify-content: center;
  padding: 20px;
}
form {
  display: grid;
  gap: 8px;
  width: min(420px, 90vw);
}
.word i {
  font-style: normal;
  color: var(--copper);
}
</style>
