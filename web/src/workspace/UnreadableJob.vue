<script setup lang="ts">
// A job whose latest revision cannot be read: what is wrong, and the revisions that may be taken back instead.
import { useQuery } from '@tanstack/vue-query'
import { ref } from 'vue'
import { api, ApiProblem } from '../api/client'
import { moment } from '../ui/figures'
import { useJob } from '../job/use-job'

defineProps<{ problem: ApiProblem }>()
const job = useJob()
const told = useQuery({ queryKey: ['revisions-of-unread', job.id], queryFn: () => api.revisions(job.id, 20, 0) })
const failure = ref('')
async function takeBack(number: number) {
  failure.value = ''
  try {
    await api.restore(job.id, number, told.data.value?.items[0]?.number ?? 0)
    await job.open()
  } catch (error) {
    if (!(error instanceof ApiProblem)) throw error
    failure.value = `Revision ${number}: ${error.detail || error.title}`
  }
}
</script>

<template>
  <main class="unread" role="alert">
    <h1>This job cannot be read</h1>
    <p class="lede">{{ problem.detail }} Nothing is lost; your other jobs are not touched.</p>
    <p v-if="failure" class="why">{{ failure }}</p>
    <template v-if="told.data.value && told.data.value.items.length > 1">
      <p>Take an earlier revision back. It becomes a new one; what cannot be read stays in the history.</p>
      <ul>
        <li v-for="r in told.data.value.items.slice(1)" :key="r.number">
          <button @click="takeBack(r.number)">Take revision {{ r.number }} back</button>
          <span class="soft">{{ r.saved_by }}, {{ moment(r.saved_at) }}</span>
        </li>
      </ul>
    </template>
    <p><button @click="job.open">Try again</button> <RouterLink to="/">All jobs</RouterLink></p>
  </main>
</template>

<style scoped>
.unread {
  padding: 24px 34px;
  max-width: 720px;
}
ul {
  list-style: none;
  padding: 0;
  display: grid;
  gap: 8px;
}
li {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 12px;
}
</style>
