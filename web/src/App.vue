<script setup lang="ts">
import { computed, ref } from 'vue'
import { useNow } from '@vueuse/core'
import { useRoute } from 'vue-router'
import { api, ApiProblem } from './api/client'
import NoticeBar from './ui/NoticeBar.vue'
import { when } from './ui/figures'
import SignIn from './session/SignIn.vue'
import { accept, expired, refreshSession, session } from './session/use-session'
import './ui/theme'

const failure = ref<ApiProblem | null>(null)
async function start() {
  failure.value = null
  try {
    await refreshSession()
  } catch (error) {
    if (error instanceof ApiProblem) failure.value = error
    else throw error
  }
}
if (!session.value) void start()
const route = useRoute()
// Said in time: a session that ends under somebody's hands loses nothing, and still is a surprise.
const WARN_MS = 5 * 60_000
const now = useNow({ interval: 20_000 })
const ending = computed(() => {
  const left = session.value?.until ? new Date(session.value.until).getTime() - now.value.getTime() : Infinity
  return left < WARN_MS && left > 0
})
async function stay() {
  try {
    accept(await api.stay())
  } catch (error) {
    if (!(error instanceof ApiProblem)) throw error
  }
}
</script>

<template>
  <main v-if="failure" class="centre" role="alert">
    <h1>{{ failure.title }}</h1>
    <p class="lede">{{ failure.detail }}</p>
    <button @click="start">Try again</button>
  </main>
  <main v-else-if="!session" class="centre" aria-busy="true"><p class="lede">Opening</p></main>
  <RouterView v-else-if="route.name === 'join'" />
  <SignIn v-else-if="!session.signed_in" />
  <template v-else>
    <NoticeBar v-if="ending" kind="caution" class="ending">
      Your session ends at {{ when(session.until ?? '') }}. What you typed is kept. <button @click="stay">Stay signed in</button>
    </NoticeBar>
    <RouterView />
    <SignIn v-if="expired" again />
  </template>
</template>

<style>
.centre {
  min-height: 60vh;
  display: grid;
  place-content: center;
  gap: 12px;
  padding: 20px;
  justify-items: start;
}
</style>
