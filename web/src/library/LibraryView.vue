<script setup lang="ts">
// The library: what ships, the crew's own, and a designed editor for a device on the wall.
import StageHead from '../ui/StageHead.vue'
import { counted } from '../ui/words'
import { preferred } from '../ui/prefs'
import { vStack } from '../ui/stack'
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { useEventListener } from '@vueuse/core'
import { ElDialog, ElInput, ElPopconfirm } from 'element-plus'
import 'element-plus/theme-chalk/el-button.css'
import 'element-plus/theme-chalk/el-input.css'
import 'element-plus/theme-chalk/el-popconfirm.css'
import 'element-plus/theme-chalk/el-popper.css'
import { session } from '../session/use-session'
import { computed, onMounted, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { api, ApiProblem, type ProfileProblem } from '../api/client'
import { queries } from '../api/queries'
import EmptyNote from '../ui/EmptyNote.vue'
import FileButton from '../ui/FileButton.vue'
import ClashTable from '../ui/ClashTable.vue'
import NoticeBar from '../ui/NoticeBar.vue'
import PageHead from '../ui/PageHead.vue'
import ViewTabs from '../ui/ViewTabs.vue'
import { when } from '../ui/figures'
import { saveJson } from '../ui/save-file'
import CheckPane from './CheckPane.vue'
import MenuPane from './MenuPane.vue'
import PastePane from './PastePane.vue'
import PlatePane from './PlatePane.vue'
import PortsPane from './PortsPane.vue'
import RegistersPane from './RegistersPane.vue'
import SchemaForm from './SchemaForm.vue'
import SentencePane from './SentencePane.vue'
import { emptyProfile, hasMenu, hasPorts, KINDS } from './plate-fields'
import { schemaOf, type Node } from './schema-form'
import { createProfile, type Profile } from './use-profile'

/** A page that was opened to be filled in begins at its first field. */
const first = (selector: string) => void window.setTimeout(() => document.querySelector<HTMLElement>(selector)?.focus(), 60)
const NEW = 'new'
const router = useRouter()
const route = router.currentRoute
const client = useQueryClient()
const chosen = computed(() => (route.value.params.profile as string | undefined) || '')
/** The job, or the page of a new one, that somebody came from. */
const from = computed(() => String(route.value.query.from ?? ''))
const away = ref(false)
const list = useQuery(
  computed(() => (away.value ? { queryKey: ['library', 'away'], queryFn: api.awayProfiles } : queries.library())),
)
const schema = useQuery(queries.schema('profile'))
const words = ref('')
const rows = computed(() =>
  (list.data.value ?? []).filter((p) =>
    `${p.name} ${p.id} ${p.maker} ${p.kind}`.toLowerCase().includes(words.value.trim().toLowerCase()),
  ),
)
const profile = createProfile()
const { draft, base, fresh, problems, about, saying, failure, dirty } = profile
// In how many jobs each profile is used: only who looks at all of them wants to know.
const counts = useQuery({ queryKey: ['library', 'uses'], queryFn: api.uses, enabled: computed(() => !draft.value) })
const used = computed<Record<string, number>>(() => counts.data.value ?? {})
const ours = computed(() => (list.data.value ?? []).filter((p) => p.own).length)
const shipped = computed(() => (list.data.value ?? []).length - ours.value)
const line = computed(() => list.data.value?.find((p) => p.id === chosen.value))
// The library of a crew is its leads' to change; others may make a profile, try it, and export it for them.
const lead = computed(() => session.value?.role === 'lead')
const editable = computed(() => fresh.value || (!!line.value?.own && lead.value))
const kind = computed(() => String(draft.value?.ewerer ?? ''))
const asText = ref(false)
const text = ref('')
const textProblem = ref('')
const part = ref('plate')
const TABS = computed(() => {
  const menu = hasMenu(kind.value)
  return [
    ['plate', 'Plate'],
    ...(menu && editable.value ? [['paste', 'Paste a table']] : []),
    ...(menu ? [['menu', 'Menu']] : []),
    ...(menu ? [['rules', 'Rules']] : []),
    ...(hasPorts(kind.value) ? [['ports', 'Ports']] : []),
    ...(menu ? [['registers', 'Registers']] : []),
    ['check', 'Check and try'],
    ['all', 'All fields'],
  ] as [string, string][]
})
watch(part, (now) => now === 'paste' && first('[aria-label="Table of settings"]'))
watch(TABS, (tabs) => tabs.some(([t]) => t === part.value) || (part.value = 'plate'))
const versions = useQuery({
  queryKey: ['versions', chosen, base],
  queryFn: () => api.versions(chosen.value),
  enabled: computed(() => !!line.value?.own && !away.value),
})
const root = computed(() => (schema.data.value ?? {}) as Node)
const node = computed(() => schemaOf(root.value, kind.value))

watch(
  chosen,
  (id) => {
    if (id === NEW) {
      first('#plate-name')
      if (!fresh.value || !draft.value)
        profile.begin(profile.unsaved() ? null : emptyProfile(String(route.value.query.kind ?? 'inverter/1')))
    } else if (!id || draft.value?.id !== id || fresh.value || dirty.value) void profile.open(id)
  },
  { immediate: true },
)
async function begin(tag: string) {
  part.value = 'plate'
  profile.begin(emptyProfile(tag))
  first('#plate-name')
  await router.replace({ name: 'library', params: { profile: NEW }, query: route.value.query })
}
/** A unit's profile, at the part where the figures come in. */
async function beginFrom(where: 'paste' | 'plate') {
  await begin('inverter/1')
  part.value = where
}
async function copy() {
  const next = { ...draft.value, id: `${String(draft.value?.id)}-copy`.slice(0, 40), name: `${String(draft.value?.name)} (copy)` }
  profile.begin(next)
  await router.replace({ name: 'library', params: { profile: NEW }, query: route.value.query })
}
const done = ref('')
async function save() {
  const id = await profile.save()
  if (!id) return
  done.value = id
  if (chosen.value !== id) await router.replace({ name: 'library', params: { profile: id }, query: route.value.query })
}
const STAGES: Record<string, string> = { 'module/1': 'bank', 'adapter/1': 'link' }
/** Where somebody goes back to: the stage that they came from, else the one that such a device belongs to. */
const backTo = computed(() =>
  from.value === 'new-job'
    ? { name: 'new' }
    : { name: 'job', params: { id: from.value, stage: String(route.value.query.stage ?? STAGES[kind.value] ?? 'units') } },
)
function back() {
  const stage = STAGES[kind.value] ?? 'units'
  const use = { use: done.value, kind: kind.value }
  if (from.value === 'new-job') return router.push({ name: 'new', query: use })
  return router.push({ name: 'job', params: { id: from.value, stage }, query: use })
}
async function putAway() {
  await api.putAwayProfile(chosen.value)
  await client.invalidateQueries({ queryKey: ['library'] })
  await router.replace({ name: 'library' })
}
async function takeOut(id: string) {
  await api.takeOutProfile(id)
  await client.invalidateQueries({ queryKey: ['library'] })
}
const importing = ref('')
const refused = ref<ProfileProblem[]>([])
async function importFiles(files: File[]) {
  const made: string[] = []
  for (const file of files) {
    importing.value = file.name
    const text = await file.text()
    try {
      made.push((await api.createProfile(text)).id)
    } catch (error) {
      if (!(error instanceof ApiProblem)) throw error
      failure.value = error
      // A file is refused in the same words as a form.
      refused.value = error.problems.length ? (await api.checkProfile(text)).problems : []
      break
    }
  }
  await client.invalidateQueries({ queryKey: ['library'] })
  if (made.length === 1) await router.push({ name: 'library', params: { profile: made[0] } })
  else if (made.length) saying.value = `${made.length} profiles taken in.`
}
/** All of the crew's own as one file each, in one press. */
async function exportOwn() {
  for (const p of (list.data.value ?? []).filter((x) => x.own && !x.unreadable)) saveJson(p.id, await api.profile(p.id))
}
const exportFile = () => saveJson(String(draft.value?.id || 'profile'), draft.value)
/** Copies of the nearest of a kind, most settings shared first: of the same voltage class, else of the same kind. */
const nearest = computed(() => (list.data.value ?? []).filter((p) => `${p.kind}/1` === kind.value).slice(0, 6))
async function from_(id: string) {
  const next = (await api.profile(id)) as Profile
  profile.change({
    ...next,
    id: String(draft.value?.id ?? ''),
    name: String(draft.value?.name ?? ''),
    maker: String(draft.value?.maker ?? ''),
  })
}
function readText() {
  try {
    profile.change(JSON.parse(text.value) as Profile)
    textProblem.value = ''
  } catch (error) {
    textProblem.value = String(error)
  }
}
watch(asText, (on) => on && (text.value = JSON.stringify(draft.value, null, 2)))
onMounted(() => (document.title = 'Library · Ewerer'))
useEventListener(window, 'keydown', (event: KeyboardEvent) => {
  if (!(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== 'z' || event.altKey) return
  if (/^(INPUT|TEXTAREA)$/.test((event.target as HTMLElement).tagName)) return
  event.preventDefault()
  if (event.shiftKey) profile.redo()
  else profile.undo()
})
const taken = ref<Record<string, 'mine' | 'theirs'>>({})
const placeOf = (pointer: string) => {
  const known = problems.value.find((p) => p.pointer === pointer)?.place
  return known ? `${known}:` : ''
}
const apart = useQuery(
  computed(() => ({
    queryKey: ['clash', profile.clashes.value],
    queryFn: () => api.differences(profile.theirs() ?? {}, draft.value ?? {}),
    enabled: profile.clashes.value.length > 0,
    gcTime: 0,
  })),
)
const shown = (v: unknown) => (v === undefined ? 'removed' : typeof v === 'string' ? v : JSON.stringify(v).slice(0, 80))
const clashes = computed(() =>
  profile.clashes.value.map((c) => ({
    key: c.key,
    place: apart.data.value?.find((d) => d.pointer.startsWith(c.pointer) || c.pointer.startsWith(d.pointer))?.place ?? 'a field',
    theirs: shown(c.theirs),
    mine: shown(c.mine),
  })),
)
/** What a version changed, and the jobs that use a profile: asked for when somebody wants to know. */
const openVersion = ref(0)
const changed = useQuery(
  computed(() => ({
    queryKey: ['version', chosen.value, openVersion.value],
    queryFn: async () =>
      api.differences(await api.profile(chosen.value, openVersion.value - 1), await api.profile(chosen.value, openVersion.value)),
    enabled: openVersion.value > 1,
  })),
)
const uses = useQuery(
  computed(() => ({
    queryKey: ['uses', chosen.value],
    queryFn: () => api.usesOf(chosen.value),
    enabled: !!line.value?.own && !away.value && chosen.value !== NEW,
  })),
)
const settings = computed(() => ((draft.value?.settings as unknown[] | undefined) ?? []).length)
</script>

<template>
  <div
    class="library"
    @dragover.prevent
    @drop.prevent="(e) => part !== 'paste' && importFiles([...(e.dataTransfer?.files ?? [])])"
  >
    <PageHead where="Library">
      <template #beside>
        <RouterLink v-if="from" class="small" :to="backTo">Back to the job</RouterLink>
      </template>
    </PageHead>
    <div class="body" :class="{ chosen: !!draft || !!line?.unreadable }">
      <nav aria-label="Profiles">
        <ElInput
          v-model="words"
          aria-label="Find a profile"
          placeholder="Find a profile"
          :validate-event="false"
          @keydown.enter.prevent="
            rows[0] && !away && router.push({ name: 'library', params: { profile: rows[0].id }, query: route.query })
          "
        />
        <p v-if="list.isError.value" role="alert">Cannot be read now. <button @click="() => list.refetch()">Try again</button></p>
        <ul>
          <li v-if="!away && profile.unsaved() && chosen !== NEW">
            <RouterLink :to="{ name: 'library', params: { profile: NEW } }"><b>Begun and not saved</b></RouterLink>
          </li>
          <li v-for="p in rows" :key="p.id">
            <RouterLink
              v-if="!away"
              :to="{ name: 'library', params: { profile: p.id }, query: route.query }"
              :class="{ on: p.id === chosen }"
            >
              <b>{{ p.name }}</b>
              <span class="small soft" :class="{ why: p.unreadable }" :title="p.unreadable"
                >{{ p.kind }} ·
                {{
                  p.unreadable ? 'cannot be read by this version' : p.own ? `yours, version ${p.revision}` : 'ships with Ewerer'
                }}</span
              >
            </RouterLink>
            <span v-else class="away"
              ><b>{{ p.name }}</b>
              <button class="plain" :aria-label="`Restore ${p.name}`" @click="takeOut(p.id)">Restore</button></span
            >
          </li>
          <li v-if="away && !rows.length && list.data.value" class="soft small">The archive is empty.</li>
        </ul>
        <p class="new">
          <button v-for="[tag, word] in KINDS" :key="tag" @click="begin(tag)">New {{ word }}</button>
          <FileButton word="Import profiles" label="Profile file" accept=".json,application/json" multiple @files="importFiles" />
          <button v-if="(list.data.value ?? []).some((p) => p.own)" class="link" @click="exportOwn">All of ours as files</button>
          <button class="link" @click="away = !away">{{ away ? 'Show the library' : 'Show the archive' }}</button>
        </p>
      </nav>
      <main>
        <template v-if="draft">
          <RouterLink class="back" :to="{ name: 'library' }">All profiles</RouterLink>
          <h1>{{ draft.name || 'New profile' }}</h1>
          <p class="lede">
            {{ about || (fresh && !draft.name ? 'Begin with the plate; ten settings make a plan.' : '') }}
            <span v-if="line?.own && !lead"> · a lead of the crew changes it</span>
            <span v-else-if="!editable"> · ships with Ewerer: copy it to change it</span>
            <span v-else-if="!lead"> · export it, and a lead of the crew takes it into the library</span>
            <button v-if="editable && problems.length" class="link" @click="part = 'check'">
              {{ problems.length }} to fill in or mend before it can be saved
            </button>
          </p>
          <div class="bar">
            <button v-if="editable && lead" class="first" :disabled="!dirty || problems.length > 0" @click="save">Save</button>
            <button v-if="done && from && done === draft.id" class="first" @click="back">Use it in the job</button>
            <button v-if="editable" class="plain" :disabled="!profile.canUndo.value" @click="profile.undo">Undo</button>
            <button v-if="editable" class="plain" :disabled="!profile.canRedo.value" @click="profile.redo">Redo</button>
            <button v-if="!fresh" @click="copy">Copy</button>
            <button @click="exportFile">Export</button>
            <ElPopconfirm
              v-if="line?.own && !fresh && lead"
              title="Archive this profile? Jobs that use it keep it, and it can be restored."
              confirm-button-text="Archive"
              cancel-button-text="Keep"
              width="280"
              @confirm="putAway"
            >
              <template #reference><button class="plain">Archive</button></template>
            </ElPopconfirm>
            <button class="plain" :aria-pressed="asText" @click="asText = !asText">{{ asText ? 'As a form' : 'As text' }}</button>
            <span role="status" class="soft">{{ saying || (dirty ? 'not saved; kept on this device' : '') }}</span>
          </div>
          <NoticeBar v-if="profile.restored.value">
            Your unsaved changes are back. <button @click="profile.forget">Discard it</button>
            <button @click="profile.restored.value = false">OK</button>
          </NoticeBar>
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
          <ViewTabs v-else v-model="part" :tabs="TABS" label="Parts of the profile">
            <template #label-menu>Menu {{ settings || '' }}</template>
            <template #label-check>Check and try {{ (editable && problems.length) || '' }}</template>
            <template #plate>
              <PlatePane :profile="profile" :frozen="!editable" />
              <p v-if="fresh && hasMenu(kind) && !settings" class="next">
                <button class="first" @click="part = 'paste'">Paste the manual's table of settings</button>
                <button @click="part = 'menu'">Type the menu row by row</button>
                <span v-if="nearest.length" class="soft small">or begin with the menu of</span>
                <button v-for="p in nearest" :key="p.id" class="plain" @click="from_(p.id)">{{ p.name }}</button>
              </p>
            </template>
            <template #paste><PastePane :profile="profile" @taken="part = 'menu'" /></template>
            <template #menu><MenuPane :profile="profile" :frozen="!editable" /></template>
            <template #rules><SentencePane :profile="profile" :frozen="!editable" /></template>
            <template #registers><RegistersPane :profile="profile" :frozen="!editable" /></template>
            <template #ports><PortsPane :profile="profile" :frozen="!editable" /></template>
            <template #check><CheckPane :profile="profile" :frozen="!editable" @go="(to: string) => (part = to)" /></template>
            <template #all>
              <SchemaForm
                v-if="root.$defs"
                :frozen="!editable"
                :root="root"
                :node="node"
                :value="draft"
                pointer=""
                :problems="editable ? problems : []"
                :locked="fresh ? [] : ['id']"
                @set="profile.set"
              />
            </template>
          </ViewTabs>
          <section v-if="versions.data.value?.length">
            <h2>Versions</h2>
            <ul>
              <li v-for="v in versions.data.value" :key="v.revision">
                version {{ v.revision }} · {{ v.saved_by }} · {{ when(v.saved_at) }}
                <button
                  v-if="v.revision > 1"
                  class="link"
                  :aria-expanded="openVersion === v.revision"
                  @click="openVersion = openVersion === v.revision ? 0 : v.revision"
                >
                  what changed
                </button>
                <ul v-if="openVersion === v.revision && changed.data.value" class="small">
                  <li v-for="d in changed.data.value.slice(0, 40)" :key="d.pointer + d.place">
                    {{ d.place }}: {{ d.before }} <span aria-label="becomes">→</span> {{ d.after }}
                  </li>
                  <li v-if="!changed.data.value.length">nothing</li>
                </ul>
              </li>
            </ul>
            <p v-if="uses.data.value" class="small" data-uses>
              <template v-if="uses.data.value.length"
                >Used in
                <template v-for="(u, i) in uses.data.value" :key="u.id"
                  >{{ i ? ', ' : '' }}<RouterLink :to="{ name: 'job', params: { id: u.id } }">{{ u.name }}</RouterLink></template
                >.</template
              ><template v-else>No job uses it yet.</template>
            </p>
            <p class="soft small">A job keeps the version it was made with until it is told to take a newer one.</p>
          </section>
        </template>
        <div v-else-if="line?.unreadable" class="start" data-unreadable>
          <RouterLink class="back" :to="{ name: 'library' }">All profiles</RouterLink>
          <h1>{{ line.name }}</h1>
          <NoticeBar kind="bad"><b>This version of Ewerer cannot read it.</b> {{ line.unreadable }}</NoticeBar>
          <p class="lede">
            Nothing is lost: it was made by another version, or was damaged. A job that uses it says so at that place and takes
            another profile; everything else works.
          </p>
          <p v-if="lead" class="bar"><button @click="putAway">Archive</button></p>
        </div>
        <div v-else class="start">
          <StageHead
            stage="library"
            answer="A profile says how a device's menu looks: its lines, units and steps."
            :rests="`${counted(shipped, 'profile')} with Ewerer, ${ours} of yours.`"
          />
          <div class="ways" role="group" aria-label="Make a profile">
            <button @click="beginFrom('paste')"><b>From the manual</b><span>Paste its table of settings</span></button>
            <button @click="beginFrom('plate')"><b>From the plate</b><span>Type the figures of the plate</span></button>
            <FileButton word="From a file" label="Profile files" accept=".json,application/json" multiple @files="importFiles" />
          </div>
          <div class="scroll">
            <table v-stack="['Name']" data-all-profiles>
              <thead>
                <tr>
                  <th>Name</th>
                  <th>Kind</th>
                  <th>Key figures</th>
                  <th class="num">Settings</th>
                  <th class="num">Lacking</th>
                  <th class="num">Used in</th>
                </tr>
              </thead>
              <tbody>
                <tr v-for="p in rows" :key="p.id">
                  <td>
                    <RouterLink :to="{ name: 'library', params: { profile: p.id }, query: route.query }">{{ p.name }}</RouterLink>
                    <span v-if="p.own" class="soft small"> yours</span>
                  </td>
                  <td>{{ p.kind }}</td>
                  <td>{{ preferred(p.about.replace(/, \d+ settings$/, '')) }}</td>
                  <td class="num">{{ p.settings || '' }}</td>
                  <td class="num">{{ p.lacking || '' }}</td>
                  <td class="num">{{ used[p.id] ? counted(used[p.id] ?? 0, 'job') : '' }}</td>
                </tr>
              </tbody>
            </table>
          </div>
          <EmptyNote v-if="chosen && chosen !== NEW && failure" title="No such profile" />
        </div>
      </main>
    </div>
    <ElDialog
      :model-value="profile.clashes.value.length > 0"
      title="Someone saved in between"
      width="min(680px, 94vw)"
      :close-on-click-modal="false"
      :show-close="false"
    >
      <p>Both of you changed these; everything else is put together already.</p>
      <ClashTable v-model="taken" :rows="clashes" choose />
      <button class="first" @click="profile.settle(taken)">Put them together so</button>
    </ElDialog>
    <ElDialog
      :model-value="!!failure && !(failure.status === 404 && line?.unreadable)"
      :title="failure?.title"
      width="min(600px, 94vw)"
      @close="((failure = null), (refused = []))"
    >
      <p v-if="importing" class="soft">{{ importing }}</p>
      <div v-if="failure?.problems.length" role="alert">
        <ul>
          <template v-if="refused.length">
            <li v-for="p in refused" :key="p.pointer + p.words">{{ p.place }}: {{ p.words }}</li>
          </template>
          <li v-for="p in refused.length ? [] : failure.problems" :key="p.pointer + p.message">
            {{ placeOf(p.pointer) }} {{ p.message }}<template v-if="p.expected">; right would be {{ p.expected }}</template>
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
.ways {
  display: flex;
  flex-wrap: wrap;
  gap: 12px;
  margin: 20px 0 28px;
}
.ways > button {
  display: grid;
  gap: 2px;
  justify-items: start;
  padding: 10px 16px;
  text-align: left;
}
.ways > button span {
  color: var(--soft);
}
.library {
  height: 100vh;
  display: flex;
  flex-direction: column;
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
.why {
  color: var(--stop);
}
.back {
  display: none;
  padding: 8px 0;
}
@media (max-width: 1000px) {
  .body {
    grid-template-columns: 200px minmax(0, 1fr);
  }
}
@media (max-width: 640px) {
  .library {
    height: auto;
    min-height: 100vh;
  }
  .body {
    display: flex;
    flex-direction: column-reverse;
    justify-content: flex-end;
  }
  .chosen nav {
    display: none;
  }
  nav {
    border: 0;
  }
  main {
    padding: 12px;
  }
  .back {
    display: inline-block;
  }
}
.next {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  margin-top: 18px;
}
.away {
  display: flex;
  justify-content: space-between;
  align-items: center;
}
</style>
