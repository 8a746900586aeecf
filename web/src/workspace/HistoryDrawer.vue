<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { ElDrawer } from 'element-plus'
import { api, type Job } from '../api/client'
import { moment } from '../ui/figures'
import { useJob } from './use-job'

const open = defineModel<boolean>({ required: true })
const job = useJob()
const revisions = useQuery({ queryKey: ['revisions', job.id, job.revision], queryFn: () => api.revisions(job.id), staleTime: 0 })
const said = (c: Record<string, unknown>) => {
  const value = JSON.stringify(c.value)
  return `${c.path || 'everything'} ${c.op === 'remove' ? 'taken out' : c.op === 'add' ? 'added' : 'changed to'} ${c.op === 'remove' || !value || value.length > 60 ? '' : value}`
}
async function takeBack(n: number) {
  job.replace((await api.revision(job.id, n)) as Job)
  open.value = false
}
</script>

<template>
  <ElDrawer v-model="open" title="History" size="min(460px, 94vw)">
    <p v-if="revisions.isLoading.value" class="soft">Reading the revisions</p>
    <p v-else-if="revisions.isError.value" role="alert">
      The history cannot be read now. <button @click="() => revisions.refetch()">Try again</button>
    </p>
    <ol>
      <li v-for="r in revisions.data.value" :key="r.number">
        <b>Revision {{ r.number }}</b>
        <span class="soft"> · {{ r.saved_by }} · {{ moment(r.saved_at) }}</span>
        <ul class="small">
          <li v-for="(c, i) in r.changes.slice(0, 5)" :key="i">{{ said(c) }}</li>
          <li v-if="r.changes.length > 5">and {{ r.changes.length - 5 }} more</li>
        </ul>
        <button v-if="r.number !== job.revision.value" @click="takeBack(r.number)">Take this one back</button>
      </li>
    </ol>
  </ElDrawer>
</template>

<style scoped>
ol,
ul {
  list-style: none;
  padding: 0;
  margin: 0;
}
ol > li {
  border-top: 1px solid var(--rule);
  padding: 9px 0;
}
ul {
  margin: 3px 0 5px;
  overflow-wrap: anywhere;
}
</style>
