<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { ElDialog, ElInput, ElPopconfirm } from 'element-plus'
import 'element-plus/theme-chalk/el-button.css'
import 'element-plus/theme-chalk/el-input.css'
import 'element-plus/theme-chalk/el-popconfirm.css'
import 'element-plus/theme-chalk/el-popper.css'
import { queries } from '../api/queries'
import FileButton from '../ui/FileButton.vue'
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import { onBeforeRouteLeave, useRouter } from 'vue-router'
import { api, ApiProblem, type ProblemOut } from '../api/client'
import { when } from '../ui/figures'
import { otherTheme, theme } from '../ui/theme'
import { write } from '../job/pointer'
import SchemaForm from './SchemaForm.vue'
import TryPane from './TryPane.vue'
import { blank, schemaOf, type Node } from './schema-form'

const router = useRouter()
const route = router.currentRoute
const client = useQueryClient()
const chosen = computed(() => (route.value.params.profile as string | undefined) || '')
const list = useQuery(queries.library())
const schema = useQuery(queries.schema('profile'))
const words = ref('')
const rows = computed(() =>
  (list.data.value ?? []).filter((p) =>
    `${p.name} ${p.id} ${p.maker} ${p.kind}`.toLowerCase().includes(words.value.trim().toLowerCase()),
  ),
)
const line = computed(() => list.data.value?.find((p) => p.id === chosen.value))
const draft = shallowRef<Record<string, unknown> | null>(null)
const stored = shallowRef<Record<string, unknown> | null>(null)
const fresh = ref(false)
const base = ref(0)
const problems = shallowRef<ProblemOut[]>([])
const about = ref('')
const saying = ref('')
const failure = ref<ApiProblem | null>(null)
const asText = ref(false)
const text = ref('')
const textProblem = ref('')
const dirty = computed(() => draft.value !== null && JSON.stringify(draft.value) !== JSON.stringify(stored.value))
const editable = computed(() => fresh.value || line.value?.own)
const KINDS: [string, string][] = [
  ['inverter/1', 'inverter-charger'],
  ['module/1', 'battery module'],
  ['sun-charger/1', 'sun charger'],
  ['adapter/1', 'adapter'],
  ['controller/1', 'system controller'],
]
const versions = useQuery({
  queryKey: ['versions', chosen, base],
  queryFn: () => api.versions(chosen.value),
  enabled: computed(() => !!line.value?.own),
})
const root = computed(() => (schema.data.value ?? {}) as Node)
const node = computed(() => schemaOf(root.value, String(draft.value?.ewerer ?? '')))

async function open(id: string) {
  fresh.value = false
  draft.value = null
  if (!id) return
  try {
    const document = await api.profile(id)
    stored.value = draft.value = document
    base.value = Number(document.revision ?? 1)
    text.value = JSON.stringify(document, null, 2)
  } catch (error) {
    if (error instanceof ApiProblem) failure.value = error
    else throw error
  }
}
watch(chosen, open, { immediate: true })
let checkRun = 0
watch(draft, async (now) => {
  if (dirty.value) saying.value = ''
  const mine = ++checkRun
  if (!now) return
  await new Promise((r) => setTimeout(r, 150))
  if (mine !== checkRun) return
  try {
    const told = await api.checkProfile(now)
    if (mine === checkRun) {
      problems.value = told.problems
      about.value = told.about
    }
  } catch (error) {
    if (!(error instanceof ApiProblem)) throw error
  }
})
const set = (pointer: string, value: unknown) => (draft.value = write(draft.value ?? {}, pointer, value))
function begin(tag: string) {
  const empty = blank(root.value, schemaOf(root.value, tag)) as Record<string, unknown>
  router.replace({ name: 'library' })
  draft.value = { ...empty, ewerer: tag }
  stored.value = null
  fresh.value = true
  base.value = 0
}
function copy() {
  const next = { ...draft.value, id: `${draft.value?.id}-copy`, name: `${draft.value?.name} (copy)` }
  router.replace({ name: 'library' })
  window.setTimeout(() => {
    draft.value = next
    stored.value = null
    fresh.value = true
  })
}
async function save() {
  if (!draft.value) return
  failure.value = null
  try {
    const made = fresh.value
      ? await api.createProfile(draft.value)
      : await api.saveProfile(String(draft.value.id), base.value, draft.value)
    await client.invalidateQueries({ queryKey: ['library'] })
    await client.invalidateQueries({ queryKey: ['profile'] })
    fresh.value = false
    stored.value = draft.value = { ...draft.value, revision: made.revision }
    base.value = made.revision
    saying.value = `Saved as version ${made.revision}.`
    if (chosen.value !== made.id) await router.replace({ name: 'library', params: { profile: made.id } })
  } catch (error) {
    if (!(error instanceof ApiProblem)) throw error
    failure.value = error
  }
}
async function putAway() {
  await api.putAwayProfile(chosen.value)
  await client.invalidateQueries({ queryKey: ['library'] })
  await router.replace({ name: 'library' })
}
async function importFile([one]: File[]) {
  if (!one) return
  try {
    const made = await api.createProfile(await one.text())
    await client.invalidateQueries({ queryKey: ['library'] })
    await router.push({ name: 'library', params: { profile: made.id } })
  } catch (error) {
    if (!(error instanceof ApiProblem)) throw error
    failure.value = error
  }
}
function exportFile() {
  const a = document.createElement('a')
  a.href = URL.createObjectURL(new Blob([JSON.stringify(draft.value, null, 2) + '\n'], { type: 'application/json' }))
  a.download = `${draft.value?.id}.json`
  a.click()
  URL.revokeObjectURL(a.href)
}
function readText() {
  try {
    draft.value = JSON.parse(text.value)
    textProblem.value = ''
  } catch (error) {
    textProblem.value = String(error)
  }
}
watch(asText, (on) => on && (text.value = JSON.stringify(draft.value, null, 2)))
onMounted(() => (document.title = 'Library · Ewerer'))
onBeforeRouteLeave(() => !dirty.value || window.confirm('Leave without saving this profile?'))
</script>

<template>
  <div class="library">
    <header>
      <RouterLink to="/" class="word" aria-label="Ewerer, all jobs">Ewerer<i>.</i></RouterLink>
      <span class="soft">Library</span>
      <span class="gap" />
      <button class="plain" :aria-label="theme === 'sun' ? 'Garage theme (dark)' : 'Sun theme (light)'" @click="otherTheme">
        {{ theme === 'sun' ? 'Garage' : 'Sun' }}
      </button>
    </header>
    <div class="body">
      <nav aria-label="Profiles">
        <ElInput v-model="words" aria-label="Find a profile" placeholder="Find a profile" :validate-event="false" />
        <p v-if="list.isError.value" role="alert">Cannot be read now. <button @click="() => list.refetch()">Try again</button></p>
        <ul>
          <li v-for="p in rows" :key="p.id">
            <RouterLink :to="{ name: 'library', params: { profile: p.id } }" :class="{ on: p.id === chosen }">
              <b>{{ p.name }}</b>
              <span class="small soft">{{ p.kind }} · {{ p.own ? `yours, version ${p.revision}` : 'ships with Ewerer' }}</span>
            </RouterLink>
          </li>
        </ul>
        <p class="new">
          <button v-for="[tag, word] in KINDS" :key="tag" :disabled="!schema.data.value" @click="begin(tag)">
            New {{ word }}
          </button>
          <FileButton word="Import profile" label="Profile file" accept=".json,application/json" @files="importFile" />
        </p>
      </nav>
      <main>
        <template v-if="draft && root.$defs">
          <h1>{{ draft.name || 'New profile' }}</h1>
          <p class="lede">
            {{ about || (problems.length ? `${problems.length} to mend before it can be saved` : '') }}
            <span v-if="!editable"> · ships with Ewerer: copy it to change it</span>
          </p>
          <div class="bar">
            <button v-if="editable" class="first" :disabled="!dirty || problems.length > 0" @click="save">Save</button>
            <button v-if="!fresh" @click="copy">Copy</button>
            <button @click="exportFile">Export</button>
            <ElPopconfirm
              v-if="line?.own"
              title="Take it out of the library? Its versions stay."
              confirm-button-text="Put away"
              cancel-button-text="Keep"
              width="260"
              @confirm="putAway"
            >
              <template #reference><button class="plain">Put away</button></template>
            </ElPopconfirm>
            <button class="plain" :aria-pressed="asText" @click="asText = !asText">{{ asText ? 'As a form' : 'As text' }}</button>
            <span role="status" class="soft">{{ saying || (dirty ? 'not saved' : '') }}</span>
          </div>
          <ul v-if="editable && problems.length" class="problems" aria-label="To mend">
            <li v-for="p in problems.slice(0, 8)" :key="p.pointer + p.message">
              <code>{{ p.pointer || '/' }}</code> {{ p.message
              }}<template v-if="p.expected">; right would be {{ p.expected }}</template>
            </li>
          </ul>
          <template v-if="asText">
            <ElInput
              v-model="text"
              type="textarea"
              :rows="24"
              :validate-event="false"
              aria-label="Profile as JSON"
              spellcheck="false"
              :readonly="!editable"
              @change="readText"
            />
            <p v-if="textProblem" class="why" role="alert">{{ textProblem }}</p>
          </template>
          <div v-else>
            <SchemaForm
              :frozen="!editable"
              :root="root"
              :node="node"
              :value="draft"
              pointer=""
              :problems="editable ? problems : []"
              :locked="fresh ? [] : ['id']"
              @set="set"
            />
          </div>
          <TryPane v-if="draft.ewerer === 'inverter/1' && !problems.length" :profile="draft" />
          <section v-if="versions.data.value?.length">
            <h2>Versions</h2>
            <ul>
              <li v-for="v in versions.data.value" :key="v.revision">
                version {{ v.revision }} · {{ v.saved_by }} · {{ when(v.saved_at) }}
              </li>
            </ul>
            <p class="soft small">A job keeps the version it was made with until it is told to take a newer one.</p>
          </section>
        </template>
        <div v-else class="start">
          <h1>Library</h1>
          <p class="lede">
            Profiles say how a device's menu, units and steps look, made from its manual. Choose one, or make one for the device
            on your wall.
          </p>
        </div>
      </main>
    </div>
    <ElDialog :model-value="!!failure" :title="failure?.title" width="min(600px, 94vw)" @close="failure = null">
      <div v-if="failure?.problems.length" role="alert">
        <ul>
          <li v-for="p in failure.problems" :key="p.pointer + p.message">
            <code>{{ p.pointer || '/' }}</code> {{ p.message }}; right would be {{ p.expected }}
          </li>
        </ul>
      </div>
      <p v-else role="alert">{{ failure?.detail }}</p>
      <p class="soft">Nothing was stored; what you typed is still here.</p>
      <button @click="failure = null">Close</button>
    </ElDialog>
  </div>
</template>

<style scoped>
.library {
  height: 100vh;
  display: flex;
  flex-direction: column;
}
header {
  display: flex;
  align-items: center;
  gap: 12px;
  padding: 3px 14px;
  min-height: 48px;
  border-bottom: 1px solid var(--rule);
  background: var(--sheet);
}
.word {
  font-weight: 700;
  font-size: 17px;
  color: var(--ink);
  text-decoration: none;
}
.word i {
  font-style: normal;
  color: var(--copper);
}
.gap {
  flex: 1;
}
.body {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: 280px minmax(0, 1fr);
}
nav {
  border-right: 1px solid var(--rule);
  padding: 12px;
  position: relative;
  overflow-y: auto;
}
nav input {
  width: 100%;
}
nav ul {
  list-style: none;
  margin: 8px 0;
  padding: 0;
}
nav a {
  display: grid;
  padding: 6px 8px;
  color: inherit;
  text-decoration: none;
  border-left: 3px solid transparent;
  min-height: 48px;
}
nav a.on {
  background: var(--sheet);
  border-left-color: var(--copper);
}
.new {
  display: grid;
  gap: 6px;
}
main {
  background: var(--sheet);
  padding: 16px 22px 40px;
  position: relative;
  overflow-y: auto;
}
.bar {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  margin: 8px 0 12px;
}
textarea {
  width: 100%;
  font-family: 'Source Code Pro', monospace;
  font-size: 13px;
}
.problems {
  border-left: 3px solid var(--stop);
  padding: 4px 12px 4px 28px;
  margin: 0 0 12px;
}
.why {
  color: var(--stop);
}
@media (max-width: 1000px) {
  .body {
    grid-template-columns: 200px minmax(0, 1fr);
  }
}
</style>
