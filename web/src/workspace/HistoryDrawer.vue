<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { ElDrawer, ElPagination } from 'element-plus'
import 'element-plus/theme-chalk/el-pagination.css'
import { computed, ref } from 'vue'
import { api } from '../api/client'
import { PAGE, queries } from '../api/queries'
import { useJob } from '../job/use-job'
import { placeInWords, valueInWords } from '../job/words'
import NoticeBar from '../ui/NoticeBar.vue'
import WaitNote from '../ui/WaitNote.vue'
import { moment } from '../ui/figures'

const open = defineModel<boolean>({ required: true })
const job = useJob()
const page = ref(1)
const told = useQuery(computed(() => queries.revisions(job.id, job.revision.value, page.value)))
const revisions = computed(() => told.data.value?.items ?? [])
function said(c: Record<string, unknown>) {
  const path = String(c.path ?? '')
  const place = placeInWords(path, job.document.value)
  if (c.op === 'remove') return `${place}: taken out`
  return `${place}: ${c.op === 'add' ? 'added, ' : ''}${valueInWords(path, c.value)}`
}
async function takeBack(n: number) {
  job.replace(await api.revision(job.id, n))
  open.value = false
}
</script>

<template>
  <ElDrawer v-model="open" title="History" size="min(460px, 94vw)">
    <WaitNote v-if="told.isLoading.value" word="Reading the revisions" />
    <NoticeBar v-else-if="told.isError.value" kind="bad">
      The history cannot be read now. <button @click="() => told.refetch()">Try again</button>
    </NoticeBar>
    <ol>
      <li v-for="r in revisions" :key="r.number">
        <b>Revision {{ r.number }}</b>
        <span class="soft"> · {{ r.saved_by }} · {{ moment(r.saved_at) }}</span>
        <ul class="small">
          <li v-for="(c, i) in r.changes.slice(0, 5)" :key="i">{{ said(c) }}</li>
          <li v-if="r.changes.length > 5">and {{ r.changes.length - 5 }} more</li>
        </ul>
        <button v-if="r.number !== job.revision.value" @click="takeBack(r.number)">Take this one back</button>
      </li>
    </ol>
    <ElPagination
      v-if="(told.data.value?.total ?? 0) > PAGE"
      v-model:current-page="page"
      :page-size="PAGE"
      :total="told.data.value?.total ?? 0"
      layout="prev, pager, next"
    />
  </ElDrawer>
</template>

<style scoped>
ol,
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
ol > li {
  border-bottom: 1px solid var(--faint);
  padding: 10px 0;
}
ul {
  padding-left: 12px;
  overflow-wrap: anywhere;
}
</style>
