<script setup lang="ts">
// The run on site: the line of steps, the step that is now, and what is live.
import { ElDrawer } from 'element-plus'
import { useMediaQuery } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { Visit } from '../../api/client'
import NoticeBar from '../../ui/NoticeBar.vue'
import PickField from '../../ui/PickField.vue'
import WaitNote from '../../ui/WaitNote.vue'
import FoldPart from '../../ui/FoldPart.vue'
import MoreMenu from '../../workspace/MoreMenu.vue'
import EmptyNote from '../../ui/EmptyNote.vue'
import { moment } from '../../ui/figures'
import { useReady } from '../../record/ready'
import { useRun } from '../../record/use-run'
import { session } from '../../session/use-session'
import { waitsFor } from '../../record/standing'
import BreakersDialog from './BreakersDialog.vue'
import InstrumentsDialog from './InstrumentsDialog.vue'
import OneLineFigure from './OneLineFigure.vue'
import ProposalsPart from './ProposalsPart.vue'
import StepCard from './StepCard.vue'
import StepLine from './StepLine.vue'
import SyncNote from './SyncNote.vue'

const emit = defineEmits<{ go: [pointer: string]; symptom: [id: string] }>()
const view = useRun()
const { record, job } = view
const router = useRouter()
const ready = useReady(computed(() => [view.visit.value, !!view.run.value, !!view.site.value]))
const me = computed(() => session.value?.user ?? '')
const wanted = ref('')
const steps = ref(false)
const now = computed(() => {
  if (wanted.value && view.byId.value.has(wanted.value)) return wanted.value
  // Nothing was open on this device: where anybody was last, or what comes after it.
  const last = Object.entries(record.state.value.steps)
    .filter(([id]) => view.byId.value.has(id))
    .sort(([, a], [, b]) => (a.at < b.at ? 1 : -1))[0]?.[0]
  const stuck = last && ['failed', 'open', 'begun', 'unsure'].includes(view.where.value[last] ?? '')
  return (stuck ? last : view.next(last)) ?? view.steps.value.at(-1)?.id ?? ''
})
const step = computed(() => view.byId.value.get(now.value))
// What is on the screen moves only by this person's own doing: where the work was taken up stays put.
watch(
  [now, () => record.ready.value],
  ([at, ready]) => {
    if (ready && at && !wanted.value) wanted.value = at
  },
  { immediate: true },
)
const VISITS: [Visit, string][] = [
  ['full', 'New build'],
  ['settings', 'Settings only'],
  ['part', 'A part comes or goes'],
  ['check', 'Yearly check'],
  ['fault', 'A fault'],
]
const visitWord = (v: string | undefined) => VISITS.find(([k]) => k === v)?.[1] ?? ''
/** What somebody else did last, told in a line: it moves nothing here. */
const saveFrom = (address: string) => window.location.assign(address)
const elsewhere = computed(() => {
  const last = Object.entries(record.state.value.steps)
    .filter(([, s]) => s.by && s.by !== me.value)
    .sort(([, a], [, b]) => (a.at < b.at ? 1 : -1))[0]
  if (!last) return ''
  const title = view.byId.value.get(last[0])?.title ?? view.steps.value.find((s) => s.lines?.some((l) => l.id === last[0]))?.title
  return title ? `${last[1].by}: ${title}` : ''
})
// Where the work is taken up: the step that was open last on this device, else the first that can be done.
void record.kept<string>('step').then((id) => !wanted.value && id && (wanted.value = id))
watch(wanted, (id) => id && void record.keep('step', id))
function show(id: string) {
  wanted.value = id
  steps.value = false
}
// A link to a step, or to one of its entries or changes, is a choice of this person's own; taken up, it is over.
const route = useRoute()
watch(
  [() => route.query.step, view.steps],
  ([id]) => {
    if (typeof id !== 'string' || !view.steps.value.length) return
    const at = view.steps.value.find(
      (s) => s.id === id || s.changes?.some((c) => c.id === id) || s.lines?.some((l) => l.id === id),
    )
    if (at) show(at.id)
    void router.replace({ query: { ...route.query, step: undefined } })
  },
  { immediate: true },
)
const next = () => (wanted.value = view.next(now.value) ?? now.value)
const number = computed(() => view.steps.value.findIndex((s) => s.id === now.value) + 1)
const wide = useMediaQuery('(min-width: 1001px)')
const breakers = ref(false)
const instruments = ref(false)
const earlier = computed(() =>
  Object.entries(record.state.value.steps)
    .flatMap(([id, s]) =>
      Object.entries(s.readings).map(([name, r]) => ({ id, name, r, title: view.byId.value.get(id)?.title ?? id })),
    )
    .sort((a, b) => (a.r.at < b.r.at ? 1 : -1))
    .slice(0, 6),
)
const waits = computed(() => waitsFor(view.steps.value, now.value).map((id) => view.byId.value.get(id)?.title ?? id))
const done = computed(
  () => view.steps.value.filter((s) => ['done', 'overridden', 'skipped'].includes(view.where.value[s.id] ?? '')).length,
)
const others = computed(() => record.state.value.people.filter(Boolean))
function ofBreaker(id: string) {
  const found = view.steps.value.filter((s) => s.breaker === id)
  const at = found.find((s) => !['done', 'overridden'].includes(view.where.value[s.id] ?? '')) ?? found[0]
  if (at) show(at.id)
}
const backToStages = () => router.replace({ name: 'job', params: { id: job.id, stage: 'sheet' } })
</script>

<template>
  <div class="run">
    <h1 class="visually-hidden">Run</h1>
    <header class="bar">
      <button class="only-small plain" @click="backToStages">‹ Stages</button>
      <button class="only-small" @click="steps = true">Steps</button>
      <span class="chip" data-progress>Step {{ number }} of {{ view.steps.value.length }}</span>
      <span class="soft only-wide"
        >{{ done }} done<template v-if="others.length"> · {{ others.join(' and ') }} here</template></span
      >
      <PickField
        class="visit not-small"
        :model-value="view.visit.value"
        label="Kind of visit"
        :choices="VISITS"
        @pick="(v) => (view.visit.value = v as Visit)"
      />
      <span v-if="elsewhere" class="soft only-wide" data-elsewhere>{{ elsewhere }}</span>
      <span class="gap" />
      <SyncNote :record="record" :ready="ready" />
      <MoreMenu
        class="not-small"
        word="Tools"
        :acts="[
          { word: 'Instruments', act: () => (instruments = true) },
          { word: 'Breaker list', act: () => (breakers = true) },
          { word: 'Checklist (PDF)', act: () => saveFrom(`/api/jobs/${job.id}/run.pdf`) },
        ]"
      />
    </header>
    <NoticeBar v-if="view.run.value?.stopped?.length" kind="bad">
      <b>The plan has stops:</b> {{ view.run.value.stopped.slice(0, 3).join('; ') }}. Do not energise before they are gone.
    </NoticeBar>
    <NoticeBar v-if="view.run.value && view.run.value.proposed !== view.visit.value && view.visit.value === 'full' && done === 0">
      By what is known of the site this is: {{ visitWord(view.run.value.proposed) }}.
      <button @click="view.visit.value = view.run.value?.proposed as Visit">Take that</button>
    </NoticeBar>
    <NoticeBar v-if="view.failed.value" kind="bad">
      The steps cannot be read now: {{ view.failed.value }} <button @click="view.retry">Try again</button>
    </NoticeBar>
    <WaitNote v-if="!view.run.value && !view.failed.value" word="Preparing the steps" />
    <div v-else-if="view.run.value" class="grid">
      <StepLine v-if="wide" :run="view.run.value" :where="view.where.value" :now="now" @step="show" />
      <div class="main">
        <StepCard
          v-if="step"
          :key="step.id"
          :step="step"
          :view="view"
          @next="next"
          @step="show"
          @go="(p) => emit('go', p)"
          @symptom="(s) => emit('symptom', s)"
          @instruments="instruments = true"
        />
        <EmptyNote v-else title="No steps yet">A bank and units first.</EmptyNote>
        <ProposalsPart :view="view" />
      </div>
      <aside aria-label="What is live">
        <h2>What is live now</h2>
        <OneLineFigure
          :picture="view.run.value.picture"
          :breakers="view.run.value.breakers"
          :open="view.open.value"
          :now="step?.breaker"
          @breaker="ofBreaker"
        />
        <FoldPart
          v-if="earlier.length"
          name="run:last"
          title="Last readings"
          :says="`${earlier[0]?.r.shown} ${earlier[0]?.r.unit ?? ''}`"
        >
          <table>
            <tbody>
              <tr v-for="e in earlier" :key="e.r.id">
                <td>
                  <button class="link" :title="moment(e.r.at)" @click="show(e.id)">{{ e.title }}</button>
                </td>
                <td class="num">
                  <b :class="e.r.verdict">{{ e.r.shown }} {{ e.r.unit }}</b>
                </td>
              </tr>
            </tbody>
          </table>
        </FoldPart>
        <template v-if="waits.length">
          <h2>Waits for this step</h2>
          <p class="soft">
            {{ waits.slice(0, 4).join(' · ') }}<template v-if="waits.length > 4"> · {{ waits.length - 4 }} more</template>
          </p>
        </template>
      </aside>
    </div>
    <ElDrawer v-model="steps" direction="ltr" size="min(340px, 90vw)" title="Steps" :with-header="false">
      <p class="kind">
        <PickField
          :model-value="view.visit.value"
          label="Kind of visit"
          :choices="VISITS"
          @pick="(v) => (view.visit.value = v as Visit)"
        />
        <button class="plain" @click="steps = false">Close</button>
      </p>
      <StepLine v-if="view.run.value && steps" :run="view.run.value" :where="view.where.value" :now="now" @step="show" />
    </ElDrawer>
    <BreakersDialog v-if="breakers && view.run.value" v-model="breakers" :run="view.run.value" />
    <InstrumentsDialog v-if="instruments" v-model="instruments" />
  </div>
</template>

<style scoped>
.run {
  height: 100%;
  display: flex;
  flex-direction: column;
}
.bar {
  display: flex;
  gap: 10px;
  align-items: center;
  padding: 4px 14px;
  border-bottom: 1px solid var(--rule);
  min-height: 50px;
}
.chip {
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 6px 10px;
  background: var(--raised);
  white-space: nowrap;
}
.gap {
  flex: 1;
}
.visit {
  width: 170px;
}
.kind {
  display: flex;
  gap: 8px;
  padding: 8px 12px 0;
}
.grid {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: 282px minmax(0, 1fr) 322px;
}
.grid > :deep(.line) {
  border-right: 1px solid var(--rule);
  background-color: var(--paper);
}
.main {
  overflow-y: auto;
  padding: 16px 24px 40px;
}
aside {
  background: var(--paper);
  border-left: 1px solid var(--rule);
  padding: 14px 16px 40px;
  overflow-y: auto;
}
aside h2 {
  font-size: 14px;
  color: var(--soft);
  margin: 12px 0 4px;
}
aside h2:first-child {
  margin-top: 0;
}
.fail {
  color: var(--stop);
}
.unsure {
  color: var(--caution);
}
.only-small {
  display: none;
}
@media (max-width: 1000px) {
  .only-wide {
    display: none;
  }
  .grid {
    display: block;
    overflow-y: auto;
  }
  .main {
    overflow: visible;
    min-height: 72vh;
  }
  aside {
    border-left: none;
    border-top: 1px solid var(--rule);
  }
  .only-small {
    display: inline-flex;
  }
}
@media (max-width: 640px) {
  .not-small {
    display: none;
  }
  .main {
    padding: 12px 14px 30px;
  }
  .bar {
    padding: 4px 8px;
    gap: 6px;
  }
}
</style>
