<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { refDebounced, useMediaQuery } from '@vueuse/core'
import { ElDialog, ElInput, ElPagination, ElTable, ElTableColumn } from 'element-plus'
import 'element-plus/theme-chalk/el-input.css'
import 'element-plus/theme-chalk/el-pagination.css'
import 'element-plus/theme-chalk/el-scrollbar.css'
import 'element-plus/theme-chalk/el-table.css'
import 'element-plus/theme-chalk/el-table-column.css'
import { computed, onMounted, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { api, ApiProblem, type JobLine, type JobsAsked } from '../api/client'
import { PAGE, queries } from '../api/queries'
import { accept, session } from '../session/use-session'
import EmptyNote from '../ui/EmptyNote.vue'
import FileButton from '../ui/FileButton.vue'
import NoticeBar from '../ui/NoticeBar.vue'
import WaitNote from '../ui/WaitNote.vue'
import { today, when } from '../ui/figures'
import { shownDate } from '../ui/prefs'
import { counted } from '../ui/words'
import CalendarAddress from './CalendarAddress.vue'
import JobActions from './JobActions.vue'
import StateMark from '../ui/StateMark.vue'
import PrefsDialog from '../ui/PrefsDialog.vue'
import PickField from '../ui/PickField.vue'
import TickBox from '../ui/TickBox.vue'
import PageHead from '../ui/PageHead.vue'

const router = useRouter()
const client = useQueryClient()
// What is looked at stands in the address: the way back from a job, a reload and a link lead to the same list.
const said = (name: string, otherwise = '') => String(router.currentRoute.value.query[name] ?? otherwise)
const away = ref(said('away') === 'yes')
const page = ref(Math.max(1, Number(said('page', '1')) || 1))
const words = ref(said('words'))
const sought = refDebounced(words, 250)
const state_ = ref(said('state'))
const stage = ref(said('stage'))
const sort = ref(said('sort', 'saved'))
const asked = computed<JobsAsked>(() => ({
  put_away: away.value,
  words: sought.value.trim() || undefined,
  state: (state_.value || undefined) as JobsAsked['state'],
  stage: stage.value || undefined,
  sort: sort.value as JobsAsked['sort'],
}))
watch(asked, () => {
  page.value = 1
  chosen.value = []
})
watch([asked, page], () => {
  const query = {
    ...(away.value ? { away: 'yes' } : {}),
    ...(asked.value.words ? { words: asked.value.words } : {}),
    ...(state_.value ? { state: state_.value } : {}),
    ...(stage.value ? { stage: stage.value } : {}),
    ...(sort.value === 'saved' ? {} : { sort: sort.value }),
    ...(page.value > 1 ? { page: String(page.value) } : {}),
  }
  void router.replace({ query })
})
const jobs = useQuery(computed(() => queries.jobs(asked.value, page.value)))
const total = computed(() => jobs.data.value?.total ?? 0)
const rows = computed(() => jobs.data.value?.items ?? [])
const narrowed = computed(() => !!(asked.value.words || asked.value.state || asked.value.stage))
const stages = useQuery(queries.stages())
const stageChoices = computed(
  () => [['', 'waits at any stage'], ...(stages.data.value ?? []).map((s) => [s.name, s.word])] as [string, string][],
)
/** The ids that are ticked. */
const chosen = ref<string[]>([])
const tickAll = (on: boolean) => (chosen.value = on ? rows.value.map((j) => j.id) : [])
const tickOne = (id: string, on: boolean) => (chosen.value = on ? [...chosen.value, id] : chosen.value.filter((x) => x !== id))
/** What was just done with jobs, while it can be taken back. */
const undoable = ref<{ text: string; ids: string[]; act: 'put-away' | 'take-out' } | null>(null)
const together = useMutation({
  mutationFn: ({ ids, act }: { ids: string[]; act: 'put-away' | 'take-out' | 'copy' }) => api.withJobs(ids, act),
  onSuccess: (_, { ids, act }) => {
    chosen.value = []
    const what = ids.length === 1 ? 'One job' : `${ids.length} jobs`
    undoable.value =
      act === 'copy'
        ? null
        : {
            text: `${what} ${act === 'put-away' ? 'archived' : 'restored'}.`,
            ids,
            act: act === 'put-away' ? 'take-out' : 'put-away',
          }
    return refresh()
  },
  onError: failed,
})
function takeBack() {
  const now = undoable.value
  undoable.value = null
  if (now) void api.withJobs(now.ids, now.act).then(refresh, failed)
}
const files = computed(() => `/api/jobs/files?${chosen.value.map((id) => `ids=${id}`).join('&')}`)
const wide = useMediaQuery('(min-width: 1001px)')
const phone = useMediaQuery('(max-width: 640px)')
const FEW = 6
const state = (s: JobLine['summary']) => (s.stop ? 'stop' : s.caution ? 'caution' : 'ok')
const failure = ref<ApiProblem | null>(null)
const failedName = ref('')
const dragging = ref(false)
const units = ref(false)
const works = computed(() => session.value?.role !== 'reader')
const due = useQuery(queries.due())
const soon = computed(() => due.data.value?.items ?? [])
const moreDue = ref(false)
function site(j: JobLine): string {
  const run = j.summary.run
  if (!run?.stands) return ''
  const parts = [
    [run.done, 'done'],
    [run.failed, 'failed'],
    [run.overridden, 'overridden'],
    [run.open, 'not put back'],
  ] as const
  return `${run.stands}: ${parts
    .filter(([n]) => n)
    .map(([n, w]) => `${n} ${w}`)
    .join(', ')}`
}
onMounted(() => (document.title = 'Jobs · Ewerer'))

const refresh = () => client.invalidateQueries({ queryKey: ['jobs'] })
const open = (id: string, stage?: string) => router.push({ name: 'job', params: { id, stage } })
function failed(error: unknown) {
  if (!(error instanceof ApiProblem)) throw error
  failure.value = error
}
const copy = useMutation({ mutationFn: (id: string) => api.copyJob(id), onSuccess: refresh, onError: failed })
/** What is done with one job of the list. */
const actsOn = (id: string) => ({
  copy: () => copy.mutate(id),
  move: () => together.mutate({ ids: [id], act: away.value ? 'take-out' : 'put-away' }),
  forGood: () => api.deleteForGood(id).then(refresh, failed),
})
const MOST = 2_000_000
/** What became of each file of several. */
const imported = ref<string[]>([])
async function importFiles(files: File[]) {
  imported.value = []
  for (const file of files) {
    failedName.value = file.name
    try {
      if (file.size > MOST)
        throw new ApiProblem(422, 'The file is too big', `${file.name} has ${file.size} bytes; a job has at most ${MOST}.`)
      const made = await api.createJob(await file.text())
      await refresh()
      if (files.length === 1) await open(made.id)
      else imported.value = [...imported.value, `${file.name}: ${made.name}`]
    } catch (error) {
      if (files.length === 1 || !(error instanceof ApiProblem)) return failed(error)
      const why = error.problems[0]?.message ?? error.detail
      imported.value = [...imported.value, `${file.name}: not stored, ${why}`]
    }
  }
}
async function signOut() {
  await api.signOut()
  // What was read for a day without a network is not for whoever comes next.
  if ('caches' in window) await caches.delete('answers')
  accept(await api.session())
}
</script>

<template>
  <div
    class="jobs"
    :class="{ dragging }"
    @dragover.prevent="dragging = true"
    @dragleave.self="dragging = false"
    @drop.prevent="((dragging = false), importFiles([...($event.dataTransfer?.files ?? [])]))"
  >
    <PageHead :where="session?.crew ?? ''" home>
      <RouterLink class="button plain" :to="{ name: 'account' }">Account</RouterLink>
      <button class="plain" @click="units = true">Preferences</button>
      <button class="plain" @click="signOut">Sign out {{ session?.user }}</button>
    </PageHead>
    <main>
      <div class="top">
        <h1>Jobs</h1>
        <span class="gap" />
        <RouterLink class="button plain" :to="{ name: 'practice' }">Practice</RouterLink>
        <RouterLink class="button" :to="{ name: 'library' }">Library</RouterLink>
        <FileButton
          v-if="works"
          word="Import job file"
          label="Job file"
          accept=".json,application/json"
          multiple
          @files="importFiles"
        />
        <RouterLink v-if="works" class="button first" :to="{ name: 'new' }">New job</RouterLink>
      </div>
      <p class="lede">
        What is open, and what each waits for. A job file can also be dropped on this page.
        <RouterLink v-if="rows[0]" :to="{ name: 'job', params: { id: rows[0].id, stage: 'thresholds' }, query: { tour: '' } }"
          >New here? A two-minute tour</RouterLink
        >
      </p>
      <p v-if="total > FEW || narrowed" class="filter">
        <ElInput
          v-model="words"
          class="words"
          aria-label="Show jobs with these words"
          placeholder="name, what it waits for, who saved it"
          clearable
          :validate-event="false"
        />
        <PickField
          v-model="state_"
          label="State"
          :choices="[
            ['', 'any state'],
            ['stop', 'with a stop'],
            ['caution', 'with a caution'],
            ['clear', 'nothing in the way'],
          ]"
        />
        <PickField v-model="stage" label="Waits at" :choices="stageChoices" />
        <PickField
          v-model="sort"
          label="Order"
          :choices="[
            ['saved', 'newest first'],
            ['name', 'by name'],
            ['state', 'most in the way first'],
          ]"
        />
        <span class="soft" role="status">{{ narrowed ? `${total} found` : `${total} jobs` }}</span>
      </p>
      <p v-if="chosen.length" class="filter together" role="group" aria-label="With the ticked jobs">
        <b>{{ chosen.length }} ticked</b>
        <button v-if="works" @click="together.mutate({ ids: chosen, act: away ? 'take-out' : 'put-away' })">
          {{ away ? 'Restore' : 'Archive' }}
        </button>
        <button v-if="works" @click="together.mutate({ ids: chosen, act: 'copy' })">Copy</button>
        <a class="button" :href="files" download>Export</a>
        <button class="plain" @click="chosen = []">None</button>
      </p>
      <NoticeBar v-if="imported.length" data-imported>
        <b>{{ counted(imported.length, 'file') }}</b>
        <ul class="each">
          <li v-for="line in imported" :key="line">{{ line }}</li>
        </ul>
        <button class="plain" @click="imported = []">OK</button>
      </NoticeBar>
      <NoticeBar v-if="undoable">
        {{ undoable.text }} <button @click="takeBack">Undo</button>
        <button class="plain" @click="undoable = null">OK</button>
      </NoticeBar>

      <section v-if="soon.length && !away" class="due" aria-label="What is due">
        <h2>Due</h2>
        <ul>
          <li v-for="d in soon.slice(0, moreDue ? 60 : 4)" :key="d.date + d.job + d.what">
            <StateMark :state="d.date < today() ? 'caution' : 'open'" />
            <span class="day">{{ shownDate(d.date) }}{{ d.date < today() ? ', late' : '' }}</span>
            <RouterLink
              v-if="d.job"
              :aria-label="`Handover of ${d.name}`"
              :to="{ name: 'job', params: { id: d.job, stage: 'handover' } }"
              >{{ d.name }}</RouterLink
            >
            <span>{{ d.what }}</span>
          </li>
        </ul>
        <p class="soft small">
          <button v-if="soon.length > 4" class="link" @click="moreDue = !moreDue">
            {{ moreDue ? 'Fewer' : `${soon.length - 4} more` }}
          </button>
          <CalendarAddress v-if="due.data.value" :made="due.data.value.feed" />
        </p>
      </section>
      <WaitNote v-if="jobs.isLoading.value" word="Reading the jobs" />
      <NoticeBar v-else-if="jobs.isError.value" kind="bad">
        The jobs cannot be read now. <button @click="() => jobs.refetch()">Try again</button>
      </NoticeBar>
      <EmptyNote v-else-if="narrowed && !rows.length" title="No job is like that">
        <p>
          <button @click="((words = ''), (state_ = ''), (stage = ''))">Show all</button>
        </p>
      </EmptyNote>
      <EmptyNote v-else-if="!rows.length" :title="away ? 'The archive is empty' : 'No job yet'">
        <p v-if="!away" class="lede">Make one from the nameplates on site, or import a job file from a colleague.</p>
      </EmptyNote>
      <ElTable v-else :data="rows" row-key="id" class="list" :row-class-name="() => 'job'">
        <ElTableColumn label="" width="40">
          <template #header
            ><TickBox label="Tick all" bare :checked="chosen.length > 0 && chosen.length === rows.length" @change="tickAll"
          /></template>
          <template #default="{ row: j }"
            ><TickBox :label="`Tick ${j.name}`" bare :checked="chosen.includes(j.id)" @change="(on) => tickOne(j.id, on)"
          /></template>
        </ElTableColumn>
        <ElTableColumn label="" width="44" class-name="mark">
          <template #header><span class="visually-hidden">State</span></template>
          <template #default="{ row: j }"><StateMark :state="state(j.summary)" /></template>
        </ElTableColumn>
        <ElTableColumn label="Job" :min-width="wide ? 240 : 200" class-name="what">
          <template #default="{ row: j }">
            <RouterLink :to="{ name: 'job', params: { id: j.id, stage: 'site' } }">{{ j.name }}</RouterLink>
            <span v-if="!j.planned" class="waits soft">not planned yet</span>
            <span v-else-if="j.summary.waits_for" class="waits">
              waits for:
              <RouterLink :to="{ name: 'job', params: { id: j.id, stage: j.summary.waits_stage } }">{{
                j.summary.waits_for
              }}</RouterLink>
            </span>
            <span v-else class="waits soft">nothing in the way</span>
            <RouterLink
              v-if="site(j as JobLine)"
              class="waits on-site"
              :to="{ name: 'job', params: { id: j.id, stage: 'run' } }"
              >{{ site(j as JobLine) }}</RouterLink
            >
            <template v-if="phone">
              <span class="waits soft">{{ [j.summary.keys.bank, j.summary.keys.units].filter(Boolean).join(' · ') }}</span>
              <span class="waits soft">{{ when(j.saved_at) }} · {{ j.saved_by }}, revision {{ j.revision }}</span>
              <JobActions :job="j as JobLine" :away="away" v-on="actsOn(j.id)" />
            </template>
          </template>
        </ElTableColumn>
        <ElTableColumn v-if="!phone" label="Bank and units" :min-width="wide ? 150 : 124">
          <template #default="{ row: j }">
            {{ j.summary.keys.bank ?? 'no bank yet' }}<br /><span class="soft">{{ j.summary.keys.units ?? 'no units yet' }}</span>
          </template>
        </ElTableColumn>
        <ElTableColumn v-if="wide" label="Thresholds" min-width="170">
          <template #default="{ row: j }">
            {{ j.summary.keys.thresholds ?? '' }}<br /><span class="soft">{{ j.summary.keys.limits ?? '' }}</span>
          </template>
        </ElTableColumn>
        <ElTableColumn v-if="wide" label="Sheet" min-width="120">
          <template #default="{ row: j }">{{ j.summary.keys.sheet ?? '' }}</template>
        </ElTableColumn>
        <ElTableColumn v-if="!phone" label="Saved" :min-width="wide ? 130 : 112">
          <template #default="{ row: j }">
            {{ when(j.saved_at) }}<br /><span class="soft">{{ j.saved_by }}, revision {{ j.revision }}</span>
          </template>
        </ElTableColumn>
        <ElTableColumn v-if="!phone" label="" :width="away ? 340 : wide ? 236 : 206" align="right" class-name="actions">
          <template #header><span class="visually-hidden">Actions</span></template>
          <template #default="{ row: j }">
            <JobActions :job="j as JobLine" :away="away" v-on="actsOn(j.id)" />
          </template>
        </ElTableColumn>
      </ElTable>
      <ElPagination
        v-if="total > PAGE"
        v-model:current-page="page"
        class="pages"
        :page-size="PAGE"
        :total="total"
        layout="prev, pager, next"
      />
      <p class="foot">
        <button class="link" @click="away = !away">{{ away ? 'Show open jobs' : 'Show archived jobs' }}</button>
      </p>
    </main>

    <PrefsDialog v-if="units" v-model="units" />
    <ElDialog :model-value="!!failure" :title="failure?.title" width="min(600px, 94vw)" @close="failure = null">
      <p v-if="failedName" class="soft">{{ failedName }}: nothing was stored.</p>
      <div v-if="failure?.problems.length" class="problems" role="alert">
        <ul>
          <li v-for="p in failure.problems" :key="p.pointer + p.message">
            <code>{{ p.pointer || '/' }}</code> {{ p.message
            }}<template v-if="p.value !== null && p.value !== undefined"
              >; found <code>{{ JSON.stringify(p.value).slice(0, 80) }}</code></template
            ><template v-if="p.expected">; right would be {{ p.expected }}</template>
          </li>
        </ul>
      </div>
      <p v-else role="alert">{{ failure?.detail }}</p>
      <p class="buttons"><button @click="failure = null">Close</button></p>
    </ElDialog>
  </div>
</template>

<style scoped>
.each {
  margin: 0;
  padding-left: 18px;
}
.due {
  border-left: 3px solid var(--copper);
  padding: 4px 14px;
  margin: 12px 0;
}
.due ul {
  list-style: none;
  padding: 0;
  margin: 0;
}
.due li {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 10px;
  align-items: center;
}
.list :deep(.on-site) {
  font-weight: 400;
  font-size: 14px;
}
.day {
  min-width: 96px;
}
.jobs {
  min-height: 100vh;
}
.jobs.dragging {
  outline: 3px dashed var(--copper);
  outline-offset: -8px;
}
.gap {
  flex: 1;
}
main {
  padding: 20px 22px;
  max-width: 1240px;
  margin: 0 auto;
}
.top {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
  align-items: center;
}
.filter {
  display: flex;
  gap: 12px;
  align-items: center;
  margin: 12px 0 4px;
}
.filter {
  flex-wrap: wrap;
}
.filter .words {
  width: min(320px, 100%);
}
.lede {
  margin: 2px 0 16px;
}
.list {
  --el-table-bg-color: var(--sheet);
  --el-table-tr-bg-color: var(--sheet);
}
.list :deep(.what .cell > a) {
  font-weight: 650;
  font-size: 16px;
  color: var(--ink);
  display: inline-block;
  padding: 4px 0;
}
.pages {
  margin-top: 12px;
}
.waits {
  display: block;
}
.list :deep(.actions) {
  white-space: nowrap;
}
.list :deep(.actions .cell) {
  padding: 0 4px;
}
.foot {
  margin-top: 12px;
}
@media (max-width: 640px) {
  main {
    padding: 14px 12px;
  }
  .top h1 {
    flex: 1 0 100%;
  }
  .top .gap {
    display: none;
  }
}
.buttons {
  margin-top: 14px;
  display: flex;
  gap: 8px;
}
.problems {
  padding-left: 18px;
}
</style>
