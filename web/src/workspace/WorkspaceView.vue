<script setup lang="ts">
import { computed, defineAsyncComponent, nextTick, onBeforeUnmount, onMounted, reactive, ref, watch } from 'vue'
import { onBeforeRouteLeave, useRouter } from 'vue-router'
import { theme, otherTheme } from '../ui/theme'
import { when } from '../ui/figures'
import { onSignedInAgain, session } from '../session/use-session'
import ChangedLine from './ChangedLine.vue'
import FindingsColumn from './FindingsColumn.vue'
import SpineNav from './SpineNav.vue'
import { useEventListener, useMediaQuery } from '@vueuse/core'
import { learnFields, placeInWords } from '../job/words'
import { prefs } from '../ui/prefs'
import { firstStage, learnStages, openStages, stageOf, stages, viewOf, wholeStages, type Stage } from '../stages/registry'
import { fetchStage } from '../stages/loaders'
import { useGlossary } from '../ui/glossary'
import NoticeBar from '../ui/NoticeBar.vue'
import { asText, tally } from './gather'
import { saveJson } from '../ui/save-file'
import WaitNote from '../ui/WaitNote.vue'
import { goToPointer, shows } from '../ui/focus'
import { createJob, provideJob } from '../job/use-job'
import { typedAhead } from './typed-ahead'

const DRAW_MS = 400
const props = defineProps<{ id?: string }>()
const router = useRouter()
const route = router.currentRoute
// The words of stages and fields come with the job.
const job = createJob(props.id ?? (route.value.params.id as string), undefined, (told) => {
  learnStages(told.stages)
  learnFields(told.fields)
})
provideJob(job)
const stage = computed<Stage>(() => {
  const wanted = route.value.params.stage as Stage
  return openStages.value.includes(wanted) ? wanted : firstStage
})
const view = computed(() => viewOf(stage.value))
const finding = ref(-1)
const drawer = ref(false)
const help = ref(false)
const find = ref(false)
const history = ref(false)
const symptoms = ref(false)
const symptom = ref('')
const ahead = typedAhead()
function findOut(id: string) {
  if (!id) ahead.begin()
  symptom.value = id
  symptoms.value = true
}
function search() {
  ahead.begin()
  find.value = true
}
watch([find, symptoms], (open) => open.some(Boolean) || ahead.take())
const whole = computed(() => wholeStages.includes(stage.value))
const SymptomFinder = defineAsyncComponent(() => import('../symptoms/SymptomFinder.vue'))
const leaving = ref(false)
const units = ref(false)
const TourPane = defineAsyncComponent(() => import('./TourPane.vue'))
const ConflictDialog = defineAsyncComponent(() => import('./ConflictDialog.vue'))
const FindDialog = defineAsyncComponent(() => import('./FindDialog.vue'))
const HistoryDrawer = defineAsyncComponent(() => import('./HistoryDrawer.vue'))
const FindingsDrawer = defineAsyncComponent(() => import('./FindingsDrawer.vue'))
const HelpDialog = defineAsyncComponent(() => import('./HelpDialog.vue'))
const LeaveDialog = defineAsyncComponent(() => import('./LeaveDialog.vue'))
const MoreMenu = defineAsyncComponent(() => import('./MoreMenu.vue'))
const UnreadableJob = defineAsyncComponent(() => import('./UnreadableJob.vue'))
const PrefsDialog = defineAsyncComponent(() => import('../ui/PrefsDialog.vue'))
const tour = ref(false)
const qr = ref(false)
const sharing = ref(false)
const ShareDialog = defineAsyncComponent(() => import('./ShareDialog.vue'))
const QrDialog = defineAsyncComponent(() => import('./QrDialog.vue'))
const frame = ref<HTMLElement | null>(null)
const tip = useGlossary(() => frame.value)
watch(
  () => !job.loading.value && route.value.query.tour !== undefined,
  (ready) => ready && window.setTimeout(() => (tour.value = true), 400),
)
const phone = useMediaQuery('(max-width: 640px)')
const narrow = useMediaQuery('(max-width: 1000px)')

const goStage = (next: Stage) => router.replace({ name: 'job', params: { id: job.id, stage: next } })
// Whoever types or points elsewhere meanwhile is not pulled back.
let going = 0
async function go(pointer: string, to?: Stage, still = false) {
  drawer.value = false
  await new Promise((r) => setTimeout(r)) // the key or click that asked for it has run its course
  const mine = ++going
  const target = to ?? stageOf(pointer)
  if (target !== stage.value) await goStage(target)
  job.aim.value = ''
  await nextTick()
  job.aim.value = pointer
  // The stage's code and its data may still be on their way; a pointer nobody shows falls back to what holds it.
  for (let tries = 0, there = 0; tries < 120 && there < 12; tries++) {
    await new Promise((r) => setTimeout(r, 20))
    if (mine !== going) return
    if (shows(pointer)) break
    if (document.querySelector(`[data-stage="${target}"] h1`)) there++
  }
  goToPointer(pointer, still)
}
const moveOn = () => void going++
function nextFinding() {
  const all = job.plan.value?.findings ?? []
  if (!all.length) return
  finding.value = (finding.value + 1) % all.length
  const at = all[finding.value]
  // The field is shown, not typed into: the next n goes on.
  if (at) void go(at.at, undefined, true)
}
function besideStage(by: number) {
  const at = openStages.value.indexOf(stage.value)
  const next = openStages.value[(at + by + openStages.value.length) % openStages.value.length]
  if (next) void goStage(next)
}
const wordsOf = (pointer: string) => (pointer ? placeInWords(pointer, job.document.value) : '')
function undo() {
  const at = job.undo()
  if (at) void go(at)
}
function redo() {
  const at = job.redo()
  if (at) void go(at)
}
function pressed(event: KeyboardEvent) {
  moveOn()
  const target = event.target as HTMLElement
  const writes =
    target.isContentEditable ||
    (/^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName) &&
      !(target instanceof HTMLInputElement && (target.type === 'radio' || target.type === 'checkbox')))
  if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z' && !event.altKey) {
    // A field takes its own letters back while they do not count yet; the job's undo is for what has counted.
    const place = target.closest<HTMLElement>('[data-pointer]')?.dataset.pointer
    if (writes && (place === undefined || job.typed.at(place) !== undefined)) return
    event.preventDefault()
    if (event.shiftKey) redo()
    else undo()
    return
  }
  if (event.ctrlKey || event.metaKey || event.altKey || writes || ahead.keeps(event) || !prefs.value.shortcuts) return
  if (document.querySelector('.el-overlay:not([style*="display: none"])')) return
  const act: Record<string, () => void> = {
    '[': () => besideStage(-1),
    ']': () => besideStage(1),
    '/': search,
    n: nextFinding,
    w: () => {
      const why = document.querySelector<HTMLDetailsElement>('[data-why]')
      why?.setAttribute('open', '')
      why?.scrollIntoView({ block: 'nearest' })
    },
    f: () => findOut(''),
    '?': () => (help.value = true),
  }
  const found = act[event.key]
  if (found) {
    event.preventDefault()
    found()
  }
}
const reads = computed(() => session.value?.role === 'reader')
// What is there in a moment is drawn once, with everything in it; only who has to wait longer sees that it is on its way.
const drawn = ref(false)
const coded = ref(false)
void fetchStage(route.value.params.stage as string | undefined).then(() => (coded.value = true))
onMounted(() => {
  void job.open()
  window.setTimeout(() => (drawn.value = true), DRAW_MS)
})
const forget = onSignedInAgain(() => {
  void job.save()
  job.planAgain()
})
onBeforeUnmount(forget)
useEventListener(window, 'keydown', pressed)
useEventListener(window, 'pointerdown', moveOn)
onBeforeUnmount(() => void job.close())
/** Where a link wanted to go when a what-if was in the way. */
let onwards = ''
onBeforeRouteLeave(async (to) => {
  if (job.whatIf.value && !reads.value) {
    onwards = to.fullPath
    leaving.value = true
    return false
  }
  job.typed.flush()
  if (job.state.value === 'unsaved') await job.save()
  return true
})
// The stage comes first; what stands beside it, in columns of their own width, follows in the next moment.
const settled = ref(false)
watch(
  () => !job.loading.value && (coded.value || !!job.loadError.value),
  (open) => {
    if (!open) return
    drawn.value = true
    requestAnimationFrame(() =>
      window.setTimeout(() => {
        settled.value = true
        if (!document.activeElement || document.activeElement === document.body)
          document.querySelector<HTMLElement>('#stage')?.focus({ preventScroll: true })
      }),
    )
  },
  { immediate: true },
)
const stageWord = computed(() => stages.value.find((s) => s.name === stage.value)?.word ?? '')
watch(
  [() => job.document.value?.name, stageWord],
  ([name, word]) => (document.title = name ? `${word ? `${word} · ` : ''}${name} · Ewerer` : 'Ewerer'),
)
// Whoever goes by keyboard or hears the page finds the stage under the focus.
watch(stage, async () => {
  await nextTick()
  if (!document.activeElement || document.activeElement === document.body || document.activeElement.closest('nav.spine'))
    document.querySelector<HTMLElement>('#stage')?.focus({ preventScroll: true })
})
const half = computed(() => Object.fromEntries(Object.entries(job.typed.texts.value).slice(0, 3)))
const refusedPlaces = computed(() => [...new Set(job.refusals.value.map((p) => p.pointer))])
const SAVE_WORDS: Record<string, string> = {
  saved: 'saved',
  unsaved: 'saving soon',
  saving: 'saving',
  offline: 'offline, kept on this device',
  refused: 'saved but for what is refused',
  conflict: 'someone saved in between',
  failed: 'not stored, tried again soon',
}
const saveText = computed(() => {
  if (!job.document.value) return ''
  const s = job.state.value
  if (reads.value) return `revision ${job.revision.value}, you read here`
  if (job.whatIf.value) return 'what-if: nothing is saved'
  return s === 'saved' ? `saved ${when(job.savedAt.value)}` : (SAVE_WORDS[s] ?? s)
})
const planText = computed(() => {
  if (!job.document.value) return ''
  const made = job.planMadeAt.value ? when(job.planMadeAt.value) : ''
  return { fresh: 'plan fresh', working: 'planning', old: made ? `plan of ${made}` : 'no plan yet' }[job.planState.value]
})
const worst = computed(() => {
  const f = job.plan.value?.findings ?? []
  const all = tally(f)
  return phone.value ? (all.split(', ')[0] ?? '') : all || 'no findings'
})
/** The findings stand beside the stage where there is room, and something that a person must know. */
const beside = computed(
  () =>
    !narrow.value &&
    !whole.value &&
    (job.problems.value.length > 0 || (job.plan.value?.findings ?? []).some((f) => f.severity !== 'note')),
)
const exportFile = () => window.location.assign(`/api/jobs/${job.id}/export`)
const copyFindings = () =>
  navigator.clipboard.writeText(
    asText(job.plan.value?.findings ?? [], job.document.value, job.whatIf.value ? ' (what-if, not saved)' : ''),
  )
/** What is tried, as a job file that says in its name what it is. */
function whatIfFile() {
  const name = `${job.document.value?.name ?? 'job'} (what-if)`.slice(0, 120)
  saveJson(name, { ...job.document.value, name })
}
async function endWhatIf(keep: boolean) {
  const to = onwards
  onwards = ''
  await job.leaveWhatIf(keep)
  if (to) await router.push(to)
}
async function toggleWhatIf() {
  onwards = '' // a link that was given up leads nowhere later
  if (job.whatIf.value) leaving.value = true
  else await job.enterWhatIf()
}
const more = computed(() => [
  { word: `Redo ${wordsOf(job.redoAt.value)}`, act: redo, off: !job.canRedo.value },
  ...(narrow.value ? [{ word: 'History', act: () => (history.value = true) }] : []),
  ...(reads.value || job.whatIf.value ? [] : [{ word: 'Try a what-if', act: () => void toggleWhatIf() }]),
  { word: 'Copy the findings as text', act: copyFindings },
  { word: 'Library', act: () => router.push({ name: 'library', query: { from: job.id, stage: stage.value } }) },
  { word: 'Export the job as a file', act: exportFile },
  { word: theme.value === 'sun' ? 'Dark theme' : 'Light theme', act: otherTheme },
  ...(reads.value ? [] : [{ word: 'Share a read-only link', act: () => (sharing.value = true) }]),
  { word: 'Open on a telephone', act: () => (qr.value = true) },
  { word: 'Preferences', act: () => (units.value = true) },
  ...(phone.value ? [{ word: 'Fault finder', act: () => findOut('') }] : []),
  { word: 'Keys and help', act: () => (help.value = true) },
])
// Dialogs are fetched and made when they are first asked for.
const shown = reactive({ drawer: false, help: false, units: false, leaving: false })
watch([drawer, help, units, leaving], ([d, h, u, l]) => {
  shown.drawer ||= d
  shown.help ||= h
  shown.units ||= u
  shown.leaving ||= l
})
</script>

<template>
  <a class="to-stage" href="#stage">To the stage</a>
  <div v-if="drawn" ref="frame" class="workspace" :class="{ whatif: job.whatIf.value, running: whole }">
    <header>
      <RouterLink to="/" class="word" aria-label="Ewerer, all jobs">Ewerer<i>.</i></RouterLink>
      <span class="name" :title="job.document.value?.name">{{ job.document.value?.name }}</span>
      <span class="save" role="status" :class="job.state.value" :title="`Revision ${job.revision.value}`" data-save-state>{{
        saveText
      }}</span>
      <span
        v-show="job.planState.value !== 'fresh'"
        class="save plan"
        role="status"
        :class="job.planState.value"
        data-plan-state
        >{{ planText }}</span
      >
      <span class="gap" />
      <template v-if="!job.loadError.value">
        <button
          class="plain"
          :disabled="!job.canUndo.value"
          aria-label="Undo"
          :title="`Undo ${wordsOf(job.undoAt.value)} (Ctrl Z)`"
          @click="undo"
        >
          Undo
        </button>
        <button class="plain wide" @click="history = true">History</button>
        <button class="plain" title="Find a quantity or setting (/)" @click="search">Find</button>
        <button
          v-if="!phone || whole"
          class="plain"
          aria-label="Fault finder"
          title="Find the cause of a fault (f)"
          @click="findOut('')"
        >
          Faults
        </button>
        <button v-if="job.whatIf.value && !reads" aria-pressed="true" class="plain what" @click="toggleWhatIf">What-if</button>
        <MoreMenu :acts="more" />
        <button v-if="!beside && !(whole && !narrow)" class="drawer-button" @click="drawer = true">
          {{ narrow && (!phone || !worst) ? 'Findings ' : '' }}{{ worst }}
        </button>
      </template>
    </header>
    <NoticeBar v-if="reads" kind="whatif">
      <b>You read in this crew.</b> Change anything to see what it would do: the plan follows, nothing is stored.
    </NoticeBar>
    <NoticeBar v-else-if="job.whatIf.value" kind="whatif">
      <b>What-if.</b> Change anything: the plan follows, the job does not. Files and papers to download are of the saved job.
      <button class="plain" @click="whatIfFile">Job file of the what-if</button>
      <button @click="job.leaveWhatIf(true)">Keep the changes</button>
      <button @click="job.leaveWhatIf(false)">Discard them</button>
    </NoticeBar>
    <NoticeBar v-else-if="job.restored.value">
      Unsaved changes from this device are back.
      <button v-for="(text, at) in half" :key="at" class="link" @click="go(at)">{{ wordsOf(at) }}: “{{ text }}”</button>
      <button @click="job.restored.value = false">OK</button>
    </NoticeBar>
    <NoticeBar v-else-if="job.mergedFrom.value">
      {{ job.mergedFrom.value }} saved in between: both your changes are here now.
      <button @click="job.mergedFrom.value = ''">OK</button>
    </NoticeBar>
    <NoticeBar v-else-if="job.state.value === 'refused' && refusedPlaces.length" kind="bad">
      All but {{ refusedPlaces.length === 1 ? 'one field is' : `${refusedPlaces.length} fields are` }} saved.
      <button v-for="p in refusedPlaces.slice(0, 3)" :key="p" class="link" @click="go(p)">{{ wordsOf(p) }}</button>
    </NoticeBar>
    <NoticeBar v-else-if="job.state.value === 'failed'" kind="bad">
      The last change is not stored: {{ job.failure.value }} It is kept on this device and tried again by itself.
      <button @click="((job.state.value = 'unsaved'), job.save())">Try again</button>
    </NoticeBar>
    <NoticeBar v-else-if="job.planState.value === 'old'" kind="bad" data-plan-old>
      {{ job.planMadeAt.value ? `The plan shown is of ${when(job.planMadeAt.value)}` : 'There is no plan yet' }}:
      {{ job.planFailure.value || 'the server does not answer; it is asked again by itself.' }}
      <button @click="job.planAgain">Try again</button>
    </NoticeBar>

    <ChangedLine v-if="!job.loadError.value" />

    <UnreadableJob v-if="job.loadError.value?.status === 422" :problem="job.loadError.value" />
    <main v-else-if="job.loadError.value" class="centre" role="alert">
      <h1>{{ job.loadError.value.status === 404 ? 'No such job' : job.loadError.value.title }}</h1>
      <p class="lede">{{ job.loadError.value.detail }}</p>
      <p><button @click="job.open">Try again</button> <RouterLink to="/">All jobs</RouterLink></p>
    </main>
    <main v-else-if="job.loading.value || !job.document.value" class="opening" aria-busy="true">
      <WaitNote word="Opening the job" :rows="8" />
    </main>
    <div v-else class="body" :class="{ whole, alone: !beside && !whole }">
      <SpineNav v-if="settled" :stage="stage" />
      <div v-else class="spine place" />
      <main id="stage" class="stage" :data-stage="stage" :aria-busy="job.planning.value" tabindex="-1">
        <component :is="view" :key="stage" @go="go" @symptom="findOut" />
      </main>
      <aside v-if="beside" class="column"><FindingsColumn v-if="settled" :current="finding" :stage="stage" @go="go" /></aside>
    </div>

    <FindingsDrawer v-if="shown.drawer" v-model="drawer" :current="finding" :stage="stage" :phone="phone" @go="go" />
    <HelpDialog v-if="shown.help" v-model="help" @units="units = true" @tour="tour = true" />
    <PrefsDialog v-if="shown.units" v-model="units" />
    <QrDialog v-if="qr" v-model="qr" />
    <ShareDialog v-if="sharing" v-model="sharing" />
    <TourPane v-if="tour" v-model="tour" />
    <div v-if="tip" class="tip" role="tooltip" :style="{ left: `${tip.x}px`, top: `${tip.y}px` }">
      <b>{{ tip.term }}</b> {{ tip.text }}
    </div>
    <LeaveDialog v-if="shown.leaving" v-model="leaving" @end="endWhatIf" />
    <FindDialog v-if="find" v-model="find" :ahead="ahead.take" @go="go" />
    <SymptomFinder
      v-if="symptoms"
      v-model="symptoms"
      :begin="symptom"
      :ahead="ahead.take"
      @stage="(s: Stage) => ((symptoms = false), openStages.includes(s) && goStage(s))"
    />
    <HistoryDrawer v-if="history" v-model="history" />
    <ConflictDialog v-if="job.stale.value" />
    <span class="visually-hidden">{{ stages.length }} stages</span>
  </div>
</template>

<style scoped>
.workspace {
  height: 100vh;
  display: flex;
  flex-direction: column;
}
header {
  display: flex;
  align-items: center;
  gap: 6px;
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
  padding: 8px 6px 8px 0;
}
.word i {
  font-style: normal;
  color: var(--copper);
}
.name {
  font-weight: 600;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
  margin-left: 8px;
}
.save {
  color: var(--soft);
  font-size: 13px;
  white-space: nowrap;
  margin-left: 8px;
}
.save.offline,
.save.refused,
.save.failed,
.save.conflict,
.save.old {
  color: var(--stop);
  font-weight: 600;
}
.gap {
  flex: 1;
}
header button,
header .button {
  padding: 0 10px;
  white-space: nowrap;
}
.what[aria-pressed='true'] {
  background: var(--whatif);
  border-color: var(--whatif);
  color: var(--sheet);
}
.whatif header {
  border-bottom: 3px solid var(--whatif);
}
.opening {
  padding: 24px 34px;
}
.body {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: 200px minmax(0, 1fr) 272px;
}
.body.alone {
  grid-template-columns: 200px minmax(0, 1fr);
}
.body.whole {
  grid-template-columns: 150px minmax(0, 1fr);
}
.place {
  background: var(--paper);
  border-right: 1px solid var(--rule);
}
/* On site the steps need the room: the stages are names and marks. */
.whole > :deep(.spine .key),
.whole > :deep(.spine .no) {
  display: none;
}
.whole > :deep(.spine a) {
  min-height: 44px;
  grid-template-columns: 1fr 18px;
  padding-left: 12px;
}
.whole .stage {
  padding: 0;
  overflow: hidden;
}
.stage {
  background: var(--sheet);
  padding: 20px 28px 40px;
  position: relative;
  overflow-y: auto;
  outline: none;
}
.whatif .stage {
  box-shadow: inset 4px 0 0 var(--whatif);
}
.column {
  border-left: 1px solid var(--rule);
  position: relative;
  overflow-y: auto;
}
.tip {
  position: fixed;
  z-index: 3000;
  max-width: 280px;
  padding: 6px 10px;
  background: var(--raised);
  border: 1px solid var(--edge);
  border-left: 3px solid var(--copper);
  font-size: 14px;
  pointer-events: none;
}
@media (max-width: 1000px) {
  .body,
  .body.alone {
    grid-template-columns: 92px minmax(0, 1fr);
  }
  /* On site one step fills the screen; the stages are a press away. */
  .body.whole {
    grid-template-columns: minmax(0, 1fr);
  }
  .whole > .place,
  .whole > :deep(.spine) {
    display: none;
  }
  .column,
  .wide {
    display: none;
  }
  .stage {
    padding: 14px 14px 40px;
  }
}
@media (max-width: 640px) {
  .running header > :not(.word, .name, .save, [aria-label='Fault finder']) {
    display: none;
  }
  .workspace.running header {
    flex-wrap: nowrap;
  }
}
/* A phone: the bar takes two lines; wide tables are moved sideways within the stage. */
@media (max-width: 640px) {
  header {
    flex-wrap: wrap;
    gap: 2px;
    padding: 3px 8px;
  }
  header button {
    padding: 0 8px;
  }
  .name {
    flex: 1 1 40%;
  }
  .gap {
    display: none;
  }
  .body,
  .body.alone {
    grid-template-columns: 74px minmax(0, 1fr);
  }
  .body.whole {
    grid-template-columns: minmax(0, 1fr);
  }
  .stage {
    overflow-x: auto;
  }
}
</style>
