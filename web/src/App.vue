<script setup lang="ts">
import { onMounted, ref } from 'vue'
import { ApiProblem } from './api/client'
import SignIn from './session/SignIn.vue'
import { expired, refreshSession, session } from './session/use-session'
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
onMounted(start)
</script>

<template>
  <main v-if="failure" class="centre" role="alert">
    <h1>{{ failure.title }}</h1>
    <p class="lede">{{ failure.detail }}</p>
    <button @click="start">Try again</button>
  </main>
  <main v-else-if="!session" class="centre" aria-busy="true"><p class="lede">Opening</p></main>
  <SignIn v-else-if="!session.signed_in" />
  <template v-else>
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
