<script setup lang="ts">
import { nextTick, onBeforeUnmount, onMounted, ref, useTemplateRef } from 'vue'
import { api, ApiProblem } from '../api/client'
import { setCsrf } from '../api/client'
import PlainInput from '../ui/PlainInput.vue'
import ShowTyped from './ShowTyped.vue'
import { accept, acceptAgain, session } from './use-session'

/** Over a page whose session ended: what was typed there stays. */
const props = defineProps<{ again?: boolean }>()
const name = ref(props.again ? (session.value?.user ?? '') : '')
const password = ref('')
const failure = ref('')
const busy = ref(false)
const shown = ref(false)

async function signIn() {
  busy.value = true
  failure.value = ''
  try {
    const now = await api.signIn(name.value, password.value)
    if (props.again) acceptAgain(now)
    else accept(now)
  } catch (error) {
    if (!(error instanceof ApiProblem)) throw error
    failure.value = `${error.title}. ${error.detail}`
  } finally {
    busy.value = false
  }
}
// Over a page, nothing behind takes a key or a touch: a password typed at once must not go into a field of the job.
const over = useTemplateRef<HTMLElement>('over')
const still: Element[] = []
const before = document.activeElement
onMounted(async () => {
  if (!props.again) return
  for (const other of document.body.children) {
    if (other === over.value || other.hasAttribute('inert')) continue
    other.setAttribute('inert', '')
    still.push(other)
  }
  await nextTick()
  over.value?.querySelector<HTMLInputElement>(name.value ? '#password' : '#name')?.focus()
  // The token that belonged to the session that ended is no longer good.
  setCsrf((await api.session()).csrf)
})
onBeforeUnmount(() => {
  for (const other of still) other.removeAttribute('inert')
  if (props.again && before instanceof HTMLElement) void nextTick(() => before.focus())
})
</script>

<template>
  <Teleport to="body" :disabled="!again">
    <component
      :is="again ? 'div' : 'main'"
      ref="over"
      class="sign-in"
      :class="{ again }"
      :role="again ? 'dialog' : undefined"
      :aria-modal="again || undefined"
      :aria-label="again ? 'Sign in again' : undefined"
    >
      <form @submit.prevent="signIn">
        <h1 class="word">Ewerer<i>.</i></h1>
        <p v-if="again" class="lede">Your session ended. Sign in and go on where you are; what you typed is kept.</p>
        <p v-else class="lede">Plan, enter and prove the settings that make a lithium bank and its inverters work together.</p>
        <label for="name">Name</label>
        <PlainInput id="name" v-model="name" autocomplete="username" autofocus required />
        <label for="password">Password</label>
        <PlainInput
          id="password"
          v-model="password"
          :type="shown ? 'text' : 'password'"
          autocomplete="current-password"
          required
        />
        <ShowTyped v-model="shown" />
        <p v-if="failure" class="failure" role="alert">{{ failure }}</p>
        <button class="first" :disabled="busy">{{ busy ? 'Signing in' : 'Sign in' }}</button>
        <p class="small soft">Local electrical code, the maker's manual and a licensed person come first, always.</p>
      </form>
    </component>
  </Teleport>
</template>

<style scoped>
.sign-in {
  min-height: 100vh;
  display: grid;
  place-items: center;
  padding: 20px;
}
.sign-in.again {
  position: fixed;
  inset: 0;
  z-index: 4000;
  background: color-mix(in srgb, var(--paper) 82%, transparent);
}
.sign-in.again form {
  background: var(--sheet);
  border: 1px solid var(--rule);
  border-top: 3px solid var(--copper);
  padding: 22px;
}
form {
  width: min(380px, 100%);
  display: grid;
  gap: 6px;
}
.word {
  font-size: 34px;
  letter-spacing: 0.01em;
}
.word i {
  font-style: normal;
  color: var(--copper);
}
.lede {
  margin-bottom: 14px;
}
label {
  font-weight: 600;
}
button {
  margin: 10px 0 14px;
  justify-content: center;
}
.failure {
  color: var(--stop);
  background: var(--stop-wash);
  padding: 8px 10px;
  border-left: 3px solid var(--stop);
}
</style>
