<script setup lang="ts">
// Who saved what and when; any two revisions side by side; one taken back.
import { vStack } from '../ui/stack'
import { useQuery } from '@tanstack/vue-query'
import { ElDrawer, ElPagination } from 'element-plus'
import 'element-plus/theme-chalk/el-pagination.css'
import { computed, ref, watch } from 'vue'
import { api, ApiProblem } from '../api/client'
import { PAGE, queries } from '../api/queries'
import { useJob } from '../job/use-job'
import { placeInWords, valueInWords } from '../job/words'
import NoticeBar from '../ui/NoticeBar.vue'
import NumberInput from '../ui/NumberInput.vue'
import WaitNote from '../ui/WaitNote.vue'
import { moment } from '../ui/figures'

const open = defineModel<boolean>({ required: true })
const job = useJob()
const page = ref(1)
const told = useQuery(computed(() => queries.revisions(job.id, job.revision.value, page.value)))
const revisions = computed(() => told.data.value?.items ?? [])
const most = computed(() => job.revision.value)
function said(c: Record<string, unknown>) {
  const path = String(c.path ?? '')
  const place = placeInWords(path, job.document.value)
  if (c.op === 'remove') return `${place}: removed`
  return `${place}: ${c.op === 'add' ? 'added, ' : ''}${valueInWords(path, c.value)}`
}
const failure = ref('')
async function takeBack(n: number) {
  failure.value = ''
  try {
    job.replace(await api.revision(job.id, n))
    open.value = false
  } catch (error) {
    if (!(error instanceof ApiProblem)) throw error
    failure.value = error.detail || error.title
  }
}

/** Which two are compared; null while none are. */
const two = ref<[number, number] | null>(null)
const beside = ref<HTMLElement>()
// Asked for far down the list, the answer stands above it.
watch(two, (now, before) => now && !before?.every((n, i) => n === now[i]) && beside.value?.scrollIntoView({ block: 'nearest' }), {
  flush: 'post',
})
const within = (n: unknown, otherwise: number) => (typeof n === 'number' && n >= 1 && n <= most.value ? Math.round(n) : otherwise)
const compared = useQuery(
  computed(() => ({
    queryKey: ['compare', job.id, ...(two.value ?? [0, 0])],
    queryFn: () => api.compare(job.id, (two.value as [number, number])[0], (two.value as [number, number])[1]),
    enabled: two.value !== null,
    staleTime: Infinity,
  })),
)
</script>

<template>
  <ElDrawer v-model="open" title="History" size="min(560px, 96vw)">
    <WaitNote v-if="told.isLoading.value" word="Reading the revisions" />
    <NoticeBar v-else-if="told.isError.value" kind="bad">
      The history cannot be read now. <button @click="() => told.refetch()">Try again</button>
    </NoticeBar>
    <p v-if="failure" class="why" role="alert">{{ failure }}</p>
    <section v-if="two" ref="beside" class="two" aria-label="Two revisions side by side" data-compare>
      <p class="line">
        <NumberInput
          whole
          aria-label="Revision before"
          :value="two[0]"
          @set="(v) => two && (two = [within(v, two[0]), two[1]])"
        />
        <span>against</span>
        <NumberInput whole aria-label="Revision after" :value="two[1]" @set="(v) => two && (two = [two[0], within(v, two[1])])" />
        <button class="plain" @click="two = null">Close</button>
      </p>
      <WaitNote v-if="compared.isLoading.value" word="Comparing" :rows="3" />
      <p v-else-if="compared.isError.value" class="why" role="alert">
        {{ compared.error.value?.message }} <button @click="() => compared.refetch()">Try again</button>
      </p>
      <p v-else-if="!compared.data.value?.length" class="soft">Nothing differs between them.</p>
      <table v-else v-stack>
        <thead>
          <tr>
            <th>What differs</th>
            <th>In {{ two[0] }}</th>
            <th>In {{ two[1] }}</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="d in compared.data.value" :key="d.pointer + d.label">
            <th scope="row">{{ d.label }}</th>
            <td>{{ d.before }} {{ d.before === 'nothing' ? '' : d.unit }}</td>
            <td>{{ d.after }} {{ d.after === 'nothing' ? '' : d.unit }}</td>
          </tr>
        </tbody>
      </table>
    </section>
    <ol>
      <li v-for="r in revisions" :key="r.number">
        <b>Revision {{ r.number }}</b>
        <span class="soft"> · {{ r.saved_by }} · {{ moment(r.saved_at) }}</span>
        <ul class="small">
          <li v-if="r.number === 1" class="soft">as it was made</li>
          <li v-for="(c, i) in r.number === 1 ? [] : r.changes.slice(0, 5)" :key="i">{{ said(c) }}</li>
          <li v-if="r.number > 1 && r.changes.length + r.more > 5">and {{ r.changes.length + r.more - 5 }} more</li>
        </ul>
        <button v-if="r.number !== most" class="plain" @click="two = [r.number, most]">Compare with now</button>
        <button v-if="r.number > 1" class="plain" @click="two = [r.number - 1, r.number]">What it changed</button>
        <button v-if="r.number !== most" @click="takeBack(r.number)">Take this one back</button>
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
.two {
  border: 1px solid var(--rule);
  border-left: 3px solid var(--copper);
  padding: 8px 12px;
  margin-bottom: 14px;
  overflow-x: auto;
}
.line {
  display: flex;
  gap: 8px;
  align-items: center;
  margin: 0 0 8px;
}
.line :deep(.el-input) {
  width: 84px;
}
th[scope='row'] {
  font-weight: 400;
}
td,
th[scope='row'] {
  overflow-wrap: anywhere;
}
</style>
