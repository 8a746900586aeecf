<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { ElDialog } from 'element-plus'
import { computed, onMounted, ref } from 'vue'
import { useRouter } from 'vue-router'
import { api, ApiProblem, type JobLine } from '../api/client'
import { accept, session } from '../session/use-session'
import { when } from '../ui/figures'
import StateMark from '../ui/StateMark.vue'
import { hasWords } from '../ui/words'
import { otherTheme, theme } from '../ui/theme'

interface Summary {
  stop: number
  caution: number
  note: number
  waits_for: string
  waits_stage: string
  keys: Record<string, string>
}
const router = useRouter()
const client = useQueryClient()
const away = ref(false)
const jobs = useQuery({ queryKey: ['jobs', away], queryFn: () => api.jobs(away.value), staleTime: 0 })
const all = computed(() => (jobs.data.value ?? []).map((j) => ({ ...j, s: j.summary as unknown as Summary })))
const words = ref('')
const rows = computed(() => all.value.filter((j) => hasWords(`${j.name} ${j.s.waits_for} ${j.saved_by}`, words.value)))
const MANY = 6
const state = (s: Summary) => (s.stop ? 'stop' : s.caution ? 'caution' : 'ok')
const failure = ref<ApiProblem | null>(null)
const failedName = ref('')
const naming = ref(false)
const name = ref('')
const nameBox = ref<HTMLInputElement>()
const fileInput = ref<HTMLInputElement>()
const dragging = ref(false)
onMounted(() => (document.title = 'Jobs · Ewerer'))

const refresh = () => client.invalidateQueries({ queryKey: ['jobs'] })
const open = (id: string, stage?: string) => router.push({ name: 'job', params: { id, stage } })
function failed(error: unknown) {
  if (!(error instanceof ApiProblem)) throw error
  failure.value = error
}
const copy = useMutation({ mutationFn: (id: string) => api.copyJob(id), onSuccess: refresh, onError: failed })
const putAway = useMutation({
  mutationFn: (j: JobLine) => (j.put_away ? api.takeOut(j.id) : api.putAway(j.id)),
  onSuccess: refresh,
  onError: failed,
})
const create = useMutation({
  mutationFn: () => api.createJob({ ewerer: 'job/1', name: name.value.trim() }),
  onSuccess: (j) => open(j.id, 'site'),
  onError: failed,
})
const MOST = 2_000_000
async function importFiles(files: FileList | null | undefined) {
  for (const file of files ?? []) {
    failedName.value = file.name
    try {
      if (file.size > MOST)
        throw new ApiProblem(422, 'The file is too big', `${file.name} has ${file.size} bytes; a job has at most ${MOST}.`)
      const made = await api.createJob(await file.text())
      await refresh()
      if (files?.length === 1) await open(made.id)
    } catch (error) {
      failed(error)
      break
    }
  }
  if (fileInput.value) fileInput.value.value = ''
}
async function signOut() {
  await api.signOut()
  accept(await api.session())
}
</script>

<template>
  <div
    class="jobs"
    :class="{ dragging }"
    @dragover.prevent="dragging = true"
    @dragleave.self="dragging = false"
    @drop.prevent="((dragging = false), importFiles($event.dataTransfer?.files))"
  >
    <header>
      <span class="word">Ewerer<i>.</i></span>
      <span class="soft">{{ session?.crew }}</span>
      <span class="gap" />
      <button class="plain" :aria-label="theme === 'sun' ? 'Garage theme (dark)' : 'Sun theme (light)'" @click="otherTheme">
        {{ theme === 'sun' ? 'Garage' : 'Sun' }}
      </button>
      <button class="plain" @click="signOut">Sign out {{ session?.user }}</button>
    </header>
    <main>
      <div class="top">
        <h1>Jobs</h1>
        <span class="gap" />
        <RouterLink class="button" :to="{ name: 'library' }">Library</RouterLink>
        <button @click="fileInput?.click()">Import job file</button>
        <input
          ref="fileInput"
          type="file"
          accept=".json,application/json"
          class="visually-hidden"
          aria-label="Job file"
          tabindex="-1"
          multiple
          @change="importFiles(($event.target as HTMLInputElement).files)"
        />
        <button class="first" @click="((name = ''), (naming = true))">New job</button>
      </div>
      <p class="lede">What is open, and what each waits for. A job file can also be dropped on this page.</p>
      <p v-if="all.length > MANY" class="filter">
        <input v-model="words" aria-label="Show jobs with these words" placeholder="name, what it waits for, who saved it" />
        <span class="soft" role="status">{{ words.trim() ? `${rows.length} of ${all.length}` : '' }}</span>
      </p>

      <p v-if="jobs.isLoading.value" class="soft" aria-busy="true">Reading the jobs</p>
      <p v-else-if="jobs.isError.value" role="alert">
        The jobs cannot be read now. <button @click="() => jobs.refetch()">Try again</button>
      </p>
      <div v-else-if="all.length && !rows.length" class="empty">
        <h2>No job has these words</h2>
        <p>
          <button @click="words = ''">Show all {{ all.length }}</button>
        </p>
      </div>
      <div v-else-if="!all.length" class="empty">
        <h2>{{ away ? 'Nothing is put away' : 'No job yet' }}</h2>
        <p v-if="!away" class="lede">Make one from the nameplates on site, or import a job file from a colleague.</p>
      </div>
      <table v-else>
        <thead>
          <tr>
            <th><span class="visually-hidden">State</span></th>
            <th>Job</th>
            <th>Bank and units</th>
            <th class="opt">Thresholds</th>
            <th>Sheet</th>
            <th>Saved</th>
            <th><span class="visually-hidden">Actions</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="j in rows" :key="j.id">
            <td><StateMark :state="state(j.s)" /></td>
            <td class="what">
              <RouterLink :to="{ name: 'job', params: { id: j.id, stage: 'site' } }">{{ j.name }}</RouterLink>
              <span v-if="j.s.waits_for" class="waits">
                waits for:
                <RouterLink :to="{ name: 'job', params: { id: j.id, stage: j.s.waits_stage } }">{{ j.s.waits_for }}</RouterLink>
              </span>
              <span v-else class="waits soft">nothing in the way</span>
            </td>
            <td>
              {{ j.s.keys.bank ?? 'no bank yet' }}<br /><span class="soft">{{ j.s.keys.units ?? 'no units yet' }}</span>
            </td>
            <td class="opt">
              {{ j.s.keys.thresholds ?? '' }}<br /><span class="soft">{{ j.s.keys.limits ?? '' }}</span>
            </td>
            <td>{{ j.s.keys.sheet ?? '' }}</td>
            <td>
              {{ when(j.saved_at) }}<br /><span class="soft">{{ j.saved_by }}, revision {{ j.revision }}</span>
            </td>
            <td class="actions">
              <button class="plain" :aria-label="`Copy ${j.name}`" @click="copy.mutate(j.id)">Copy</button>
              <a class="button plain" :aria-label="`Export ${j.name}`" :href="`/api/jobs/${j.id}/export`" download>Export</a>
              <button class="plain" :aria-label="`${away ? 'Take out' : 'Put away'} ${j.name}`" @click="putAway.mutate(j)">
                {{ away ? 'Take out' : 'Put away' }}
              </button>
            </td>
          </tr>
        </tbody>
      </table>
      <p class="foot">
        <button class="link" @click="away = !away">{{ away ? 'Show open jobs' : 'Show jobs put away' }}</button>
      </p>
    </main>

    <ElDialog v-model="naming" title="New job" width="min(440px, 94vw)" @opened="nameBox?.focus()">
      <form @submit.prevent="name.trim() && create.mutate()">
        <label for="new-name">Name of the site or job</label>
        <input id="new-name" ref="nameBox" v-model="name" maxlength="120" required class="full" />
        <p class="buttons"><button class="first" :disabled="!name.trim() || create.isPending.value">Make it</button></p>
      </form>
    </ElDialog>
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
.jobs {
  min-height: 100vh;
}
.jobs.dragging {
  outline: 3px dashed var(--copper);
  outline-offset: -8px;
}
header {
  display: flex;
  align-items: center;
  gap: 12px;
  padding: 3px 22px;
  border-bottom: 1px solid var(--rule);
  background: var(--sheet);
}
.word {
  font-weight: 700;
  font-size: 17px;
}
.word i {
  font-style: normal;
  color: var(--copper);
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
  gap: 10px;
  align-items: center;
}
.filter {
  display: flex;
  gap: 12px;
  align-items: center;
  margin: 12px 0 4px;
}
.filter input {
  width: min(380px, 60vw);
}
.lede {
  margin: 2px 0 16px;
}
table {
  background: var(--sheet);
}
th:first-child,
td:first-child {
  padding-left: 12px;
  width: 40px;
}
td {
  padding: 10px 12px 10px 0;
}
.what > a {
  font-weight: 650;
  font-size: 16px;
  color: var(--ink);
  display: inline-block;
  padding: 4px 0;
}
.waits {
  display: block;
}
.actions {
  white-space: nowrap;
  text-align: right;
}
.actions > * {
  padding: 0 9px;
}
.button.plain {
  border-color: transparent;
  background: none;
}
.empty {
  border: 1px dashed var(--rule);
  padding: 34px;
}
.foot {
  margin-top: 12px;
}
.full {
  width: 100%;
}
.buttons {
  margin-top: 14px;
  display: flex;
  gap: 8px;
}
.problems {
  padding-left: 18px;
}
@media (max-width: 1000px) {
  .opt {
    display: none;
  }
}
</style>
