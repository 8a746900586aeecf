<script setup lang="ts">
// Proof: every test that this site can make, what it said, and the one that is being made.
import { vStack } from '../../ui/stack'
import { computed, defineAsyncComponent, ref } from 'vue'
import { useRoute } from 'vue-router'
import { useFold } from '../../ui/folds'
import FoldPart from '../../ui/FoldPart.vue'
import StageHead from '../../ui/StageHead.vue'
import { counted } from '../../ui/words'
import EmptyNote from '../../ui/EmptyNote.vue'
import ViewTabs from '../../ui/ViewTabs.vue'
import NoticeBar from '../../ui/NoticeBar.vue'
import StateMark from '../../ui/StateMark.vue'
import WaitNote from '../../ui/WaitNote.vue'
import { moment } from '../../ui/figures'
import { useRun } from '../../record/use-run'
import InstrumentsDialog from '../run/InstrumentsDialog.vue'
import ProposalsPart from '../run/ProposalsPart.vue'
import StepCard from '../run/StepCard.vue'
import SyncNote from '../run/SyncNote.vue'
import type { RunStep } from '../../api/client'

const LiveView = defineAsyncComponent(() => import('../../live/LiveView.vue'))
const LogsView = defineAsyncComponent(() => import('../../logs/LogsView.vue'))
const TABS = [
  ['tests', 'Tests'],
  ['live', 'Live'],
  ['logs', 'Logs'],
] as const
type Tab = (typeof TABS)[number][0]
const asked = useRoute().query.view
const tab = ref<Tab>(TABS.find(([t]) => t === asked)?.[0] ?? 'tests')
const emit = defineEmits<{ go: [pointer: string]; symptom: [id: string] }>()
const view = useRun()
const { record } = view
const tests = computed(() => view.steps.value.filter((s) => s.proof || s.section === 'sensor'))
const chosen = ref('')
const step = computed(() => view.byId.value.get(chosen.value))
const instruments = ref(false)
const WORDS: Record<string, [string, string]> = {
  done: ['ok', 'good'],
  overridden: ['caution', 'overridden'],
  skipped: ['note', 'left out'],
  failed: ['stop', 'failed'],
  open: ['stop', 'not put back'],
  unsure: ['caution', 'cannot tell'],
  begun: ['open', 'begun'],
  ready: ['open', 'to make'],
  waiting: ['open', 'waits'],
  blocked: ['stop', 'blocked'],
}
const capital = (t: string) => t.charAt(0).toUpperCase() + t.slice(1)
const of = (s: RunStep) => {
  const where = view.where.value[s.id] ?? 'ready'
  const judged = view.site.value?.judged[s.id]
  const state = judged?.verdict === 'fail' && !['overridden', 'skipped'].includes(where) ? 'failed' : where
  return WORDS[state] ?? (['open', ''] as [string, string])
}
const seen = (s: RunStep) => {
  const judged = view.site.value?.judged[s.id]
  if (judged?.verdict) return judged.text
  const told = record.state.value.steps[s.id]
  if (!told) return ''
  const all = Object.values(told.readings)
  const bad = all.find((r) => r.verdict === 'fail')
  const read = all.map((r) => `${r.shown} ${r.unit ?? ''}`.trim()).slice(0, 4)
  return told.override?.text ?? bad?.text ?? (read.join(', ') || told.reason || told.text)
}
const counts = computed(() => {
  const out: Record<string, number> = {}
  for (const s of tests.value) {
    const word = of(s)[1]
    out[word] = (out[word] ?? 0) + 1
  }
  return Object.entries(out)
    .map(([w, n]) => `${n} ${w}`)
    .join(' · ')
})
/** What was made or begun, the bad first; what nobody has begun stands folded. */
const RANK: Record<string, number> = { stop: 0, caution: 1, open: 2, note: 3, ok: 4 }
const untouched = (s: RunStep) => ['to make', 'waits', 'blocked'].includes(of(s)[1])
const made = computed(() =>
  tests.value.filter((s) => !untouched(s)).sort((a, b) => (RANK[of(a)[0]] ?? 9) - (RANK[of(b)[0]] ?? 9)),
)
const ahead = computed(() => tests.value.filter(untouched))
const FEW = 8
const all = useFold('proof:all')
const nextUp = computed(() => ahead.value.find((s) => of(s)[1] === 'to make'))
const answer = computed(() => {
  if (!tests.value.length) return 'Nothing to prove yet.'
  const bad = made.value.filter((s) => of(s)[0] === 'stop')
  if (bad.length) return `Not yet: ${bad.length === 1 ? `“${capital(bad[0]!.title)}” failed` : `${bad.length} tests failed`}.`
  if (!ahead.value.length)
    return made.value.every((s) => of(s)[1] !== 'begun') ? 'It does what was planned.' : 'Tests are under way.'
  if (nextUp.value) return `Next: ${capital(nextUp.value.title)}.`
  return `Not yet: ${counted(ahead.value.length, 'test')} wait for the run.`
})
const open = computed(() => tests.value.filter((s) => view.where.value[s.id] === 'open'))
</script>

<template>
  <StageHead stage="proof" :answer="answer" rests=""
    ><span role="status">{{ counts }}</span> <SyncNote :record="record"
  /></StageHead>
  <NoticeBar v-if="open.length" kind="bad">
    <b>Not put back:</b> {{ open.map((s) => s.title).join(', ') }}. Nothing can be signed before.
    <button @click="chosen = open[0]?.id ?? ''">Put it back</button>
  </NoticeBar>
  <NoticeBar v-if="view.failed.value" kind="bad">
    The tests cannot be read now: {{ view.failed.value }} <button @click="view.retry">Try again</button>
  </NoticeBar>
  <WaitNote v-if="!view.run.value && !view.failed.value" word="Preparing the tests" />
  <template v-else-if="step">
    <p><button @click="chosen = ''">‹ All tests</button></p>
    <StepCard
      :key="step.id"
      :step="step"
      :view="view"
      @next="chosen = ''"
      @step="(id) => (chosen = id)"
      @go="(p) => emit('go', p)"
      @symptom="(s) => emit('symptom', s)"
      @instruments="instruments = true"
    />
  </template>
  <EmptyNote v-else-if="!tests.length" title="Nothing to prove yet">A bank and units first.</EmptyNote>
  <ViewTabs v-else v-model="tab" :tabs="TABS" label="Views of the proof">
    <template #live><LiveView /></template>
    <template #logs><LogsView :record="record" @live="tab = 'live'" /></template>
    <template #tests>
      <table v-if="made.length" v-stack="['Test', 'Verdict']">
        <thead>
          <tr>
            <th></th>
            <th>Test</th>
            <th>Verdict</th>
            <th>Seen</th>
            <th>By</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="s in made" :key="s.id" :data-test="s.id">
            <td><StateMark :state="of(s)[0]" /></td>
            <td>
              <button class="link" @click="chosen = s.id">{{ capital(s.title) }}</button>
            </td>
            <td :class="of(s)[0]">{{ of(s)[1] }}</td>
            <td class="small">{{ seen(s) }}</td>
            <td class="soft small">
              <template v-if="record.state.value.steps[s.id]?.at"
                >{{ record.state.value.steps[s.id]?.by }}, {{ moment(record.state.value.steps[s.id]?.at ?? '') }}</template
              >
            </td>
          </tr>
        </tbody>
      </table>
      <FoldPart
        v-if="ahead.length"
        name="proof:ahead"
        begins
        title="Tests to make"
        :says="nextUp ? counted(ahead.length, 'test') : `${counted(ahead.length, 'test')}, all behind steps of the run`"
      >
        <ul class="ahead">
          <li v-for="s in all ? ahead : ahead.slice(0, FEW)" :key="s.id" :data-test="s.id">
            <button class="link" @click="chosen = s.id">{{ capital(s.title) }}</button> <span class="soft">{{ of(s)[1] }}</span>
          </li>
        </ul>
        <button v-if="ahead.length > FEW" class="link" @click="all = !all">
          {{ all ? 'Show fewer' : `${ahead.length - FEW} more` }}
        </button>
      </FoldPart>
    </template>
  </ViewTabs>
  <ProposalsPart :view="view" />
  <InstrumentsDialog v-if="instruments" v-model="instruments" />
</template>

<style scoped>
.ahead {
  list-style: none;
  margin: 0;
  padding: 0;
  columns: 2;
}
td .link {
  text-align: left;
}
.stop {
  color: var(--stop);
  font-weight: 600;
}
.caution {
  color: var(--caution);
  font-weight: 600;
}
.ok {
  color: var(--bank);
}
</style>
