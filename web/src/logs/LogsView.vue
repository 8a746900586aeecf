<script setup lang="ts">
// Logs: a file goes in, what happened in it comes out, held against the plan; what it measured can go into the job.
import { computed, defineAsyncComponent, ref, watch } from 'vue'
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { ElProgress } from 'element-plus'
import 'element-plus/theme-chalk/el-progress.css'
import { api, ApiProblem, type LogReport, type MeasuredLog } from '../api/client'
import { useJob } from '../job/use-job'
import type { useRun } from '../record/use-run'
import { session } from '../session/use-session'
import EmptyNote from '../ui/EmptyNote.vue'
import FileButton from '../ui/FileButton.vue'
import FoldPart from '../ui/FoldPart.vue'
import NoticeBar from '../ui/NoticeBar.vue'
import PickField from '../ui/PickField.vue'
import StateMark from '../ui/StateMark.vue'
import TickBox from '../ui/TickBox.vue'
import WaitNote from '../ui/WaitNote.vue'
import { tidy } from '../ui/figures'
import { useGuarded } from '../ui/guarded'
import { vStack } from '../ui/stack'
import { counted } from '../ui/words'
import { FIGURES, figureShown, spanWord } from './words'
import { useUpload } from './upload'

const LogPlot = defineAsyncComponent(() => import('./LogPlot.vue'))
const KINDS = '.csv,.tsv,.txt,.xlsx,.parquet,.log,.asc,.blf,.trc'
const props = defineProps<{ record: ReturnType<typeof useRun>['record'] }>()
const emit = defineEmits<{ live: [] }>()
const job = useJob()
const client = useQueryClient()
const changes = computed(() => (session.value?.role ?? 'reader') !== 'reader')
const key = ['logs', job.id]
const listed = useQuery({ queryKey: key, queryFn: () => api.measuredLogs(job.id), retry: false })
const logs = computed(() => listed.data.value?.items ?? [])
const words = computed(() => listed.data.value?.quantities ?? {})
const upload = useUpload(job.id)
const { share, word, failure } = upload
const chosen = ref('')
const log = computed<MeasuredLog | undefined>(
  () => logs.value.find((l) => l.id === chosen.value) ?? logs.value.find((l) => l.state === 'read'),
)
const report = useQuery({
  queryKey: computed(() => ['log', job.id, log.value?.id, log.value?.mapping, job.revision.value]),
  queryFn: () => api.logReport(job.id, log.value!.id),
  enabled: computed(() => log.value?.state === 'read'),
  retry: false,
})
const told = computed<LogReport | undefined>(() => report.data.value)
const again = () => client.invalidateQueries({ queryKey: key })
async function take(files: File[]) {
  for (const file of files) {
    const made = await upload.send(file)
    if (made) chosen.value = made.id
    await again()
  }
}
async function drop(l: MeasuredLog) {
  await api.dropLog(job.id, l.id)
  chosen.value = ''
  await again()
}

const shown = ref<[number, number]>([0, 1])
watch(
  () => told.value?.span_s,
  (span) => span && (shown.value = [0, span]),
  { immediate: true },
)
const WIDE = 0.15
function jump(from: number, to: number) {
  const end = told.value?.span_s ?? 0
  const around = Math.max((to - from) * WIDE, (told.value?.step_s ?? 1) * 60)
  shown.value = [Math.max(0, from - around), Math.min(end, to + around)]
  document.querySelector('[data-log-plot]')?.scrollIntoView({ block: 'nearest' })
}
const second = ref('')
watch(
  () => log.value?.id,
  (id) => id === second.value && (second.value = ''),
)
const besides = computed(() => logs.value.filter((l) => l.state === 'read' && l.id !== log.value?.id))
const secondLog = computed(() => besides.value.find((l) => l.id === second.value))
const other = useQuery({
  queryKey: computed(() => ['log', job.id, second.value, secondLog.value?.mapping, job.revision.value]),
  queryFn: () => api.logReport(job.id, second.value),
  enabled: computed(() => !!second.value),
  retry: false,
})
/** By their own clocks where they overlap; else both from their first row. */
const together = computed(() => {
  if (!told.value || !other.data.value) return false
  const [a, b] = [told.value, other.data.value]
  return a.from <= b.to && b.from <= a.to
})
const beside = computed(() => {
  const held = other.data.value
  const named = secondLog.value
  if (!held || !named || !told.value) return undefined
  const columns = Object.values(held.columns)
  const later = together.value ? (Date.parse(`${held.from}Z`) - Date.parse(`${told.value.from}Z`)) / 1000 : 0
  return { log: named.id, word: named.name, names: names.value.filter((n) => columns.includes(n)), later }
})
const known = computed(() => Object.values(told.value?.columns ?? {}).filter((q): q is string => !!q && q !== 'time'))
const FIRST = ['volts', 'amps', 'soc']
const picked = ref<string[]>([])
watch(known, (k) => (picked.value = FIRST.filter((n) => k.includes(n))), {
  immediate: true,
})
const names = computed(() => (picked.value.length ? picked.value : known.value.slice(0, 1)))
const toggle = (name: string, on: boolean) =>
  (picked.value = on ? known.value.filter((n) => n === name || picked.value.includes(n)) : picked.value.filter((n) => n !== name))
const RUNGS: [string, string][] = [
  ['absorb_v', 'Absorption'],
  ['float_v', 'Float'],
  ['shutdown_v', 'Shut-down'],
]
const planned = computed(() =>
  RUNGS.flatMap(([id, w]) => {
    const rung = job.plan.value?.ladder[id]
    return rung ? [{ name: 'volts', word: w, value: rung.value }] : []
  }),
)

const bad = computed(() => (told.value?.findings ?? []).filter((f) => f.verdict !== 'good'))
const good = computed(() => (told.value?.findings ?? []).filter((f) => f.verdict === 'good'))
const answer = computed(() => {
  if (!told.value) return logs.value.length ? '' : 'No log yet.'
  const worst = bad.value[0]
  if (!worst) return 'The plan was kept.'
  return `${counted(bad.value.length, 'thing')} to look at. First: ${worst.message}`
})
/** Findings as lines of the logbook; their ids say what they are, so that a second press adds nothing. */
const entries = computed(() =>
  bad.value.map((f) => ({
    id: `log-${log.value!.id.slice(0, 13)}-${f.what.replace(/[^a-z]+/gi, '-')}-${Math.round(f.from_s)}`,
    kind: 'log' as const,
    entry: {
      kind: f.verdict === 'bad' ? ('warning' as const) : ('reading' as const),
      when: f.from.slice(0, 19).replace('T', ' '),
      text: `${f.message} (${log.value!.name})`,
      count: 1,
    },
  })),
)
const noted = computed(() => {
  const there = new Set(props.record.state.value.log.map((l) => l.id))
  return entries.value.every((e) => there.has(e.id))
})
const MARK: Record<string, string> = { bad: 'stop', caution: 'caution', good: 'ok' }
const figures = computed(() => Object.entries(told.value?.figures ?? {}))

const SPEEDS = [1, 10, 60, 600].map((n) => [n, n === 1 ? 'as it was' : `${n} times as fast`] as const)
const speed = ref(60)
const stands = ref('bank')
const devices = computed(() => [
  ['bank', 'the bank'] as const,
  ...(job.plan.value?.units ?? []).map((u) => [u.id, u.id] as const),
])
const { failure: replayFailure, guarded } = useGuarded()
const replayed = ref('')
const replay = () =>
  guarded(async () => {
    const settings = { kind: 'replay' as const, log: log.value!.id, speed: speed.value, from_s: shown.value[0], map: false }
    await api.addPort(job.id, stands.value, settings)
    replayed.value = log.value!.id
  })

const mapping = ref<Record<string, string | null>>({})
watch(
  () => log.value?.mapping,
  (m) => (mapping.value = { ...m }),
  { immediate: true },
)
const CHOICES = computed(() => [['', 'not used'] as const, ...Object.entries(words.value)])
const changed = computed(() => Object.entries(mapping.value).some(([c, q]) => (log.value?.mapping[c] ?? null) !== (q || null)))
const reading = ref(false)
const refusal = ref('')
async function readAgain() {
  if (!log.value) return
  reading.value = true
  refusal.value = ''
  try {
    const asked = Object.fromEntries(Object.entries(mapping.value).map(([c, q]) => [c, q || null]))
    await api.readMeasuredLog(job.id, log.value.id, asked)
    await again()
  } catch (error) {
    refusal.value = error instanceof ApiProblem ? error.inWords : String(error)
  } finally {
    reading.value = false
  }
}
const proposals = computed(() =>
  (told.value?.proposals ?? []).filter((p) => JSON.stringify(job.at(p.pointer)) !== JSON.stringify(p.value)),
)
const valueShown = (v: unknown) =>
  Array.isArray(v) ? '24 hours' : typeof v === 'number' ? tidy(v, 3) : v === null || v === undefined ? 'nothing' : String(v)
</script>

<template>
  <p v-if="answer" class="answer" role="status" data-log-answer>
    <StateMark :state="told ? (bad.length ? (MARK[bad[0]!.verdict] ?? 'caution') : 'ok') : 'open'" /> <b>{{ answer }}</b>
  </p>
  <NoticeBar v-if="listed.isError.value" kind="bad">
    The logs cannot be read now. <button @click="again">Try again</button>
  </NoticeBar>
  <WaitNote v-else-if="listed.isLoading.value" word="Looking for logs" />
  <EmptyNote v-else-if="!logs.length && share === null" title="No log yet">
    Choose what the inverter, the BMS or a logger recorded: CSV, spreadsheet, Parquet, or CAN frames. Ewerer finds the columns,
    judges the log against this plan, and offers what it measured.
  </EmptyNote>
  <div class="bar">
    <FileButton v-if="changes && share === null" label="Add a log" word="Add a log" :accept="KINDS" multiple @files="take" />
    <template v-if="share !== null">
      <button @click="upload.stop">Stop</button>
      <ElProgress class="progress" :percentage="Math.round(share * 100)" :stroke-width="8" aria-label="Log on its way" />
    </template>
    <span role="status" class="soft">{{ word }}</span>
    <span v-if="failure" role="alert" class="bad">{{ failure }}</span>
    <PickField
      v-if="logs.length > 1"
      label="Log shown"
      :choices="logs.map((l) => [l.id, l.name] as const)"
      :model-value="log?.id"
      @update:model-value="(v) => (chosen = String(v))"
    />
  </div>
  <NoticeBar v-for="l in logs.filter((x) => x.state !== 'read')" :key="l.id" kind="caution" data-unread>
    {{ l.name }}: {{ l.problem || 'not sent whole; choose the same file again to go on.' }}
    <button v-if="changes" @click="drop(l)">Delete</button>
  </NoticeBar>
  <WaitNote v-if="report.isLoading.value && log?.state === 'read'" word="Judging the log" />
  <NoticeBar v-else-if="report.isError.value" kind="bad">
    This log cannot be judged now: {{ report.error.value?.message }}
  </NoticeBar>
  <template v-if="told && log">
    <p class="soft small" data-log-about>
      {{ log.name }}: {{ told.rows.toLocaleString('en') }} rows over {{ spanWord(told.span_s) }}, one every
      {{ spanWord(told.step_s) }}.
      <template v-if="told.bad_rows">{{ counted(told.bad_rows, 'row') }} with something unreadable.</template>
      <template v-if="told.gaps.length"> {{ counted(told.gaps.length, 'gap') }}.</template>
    </p>
    <LogPlot
      v-if="names.length"
      v-model="shown"
      :job="job.id"
      :log="log.id"
      :report="told"
      :names="names"
      :words="words"
      :planned="planned"
      :beside="beside"
    />
    <p v-if="besides.length" class="bar">
      <span class="small" aria-hidden="true">Second log below</span>
      <PickField
        label="Second log below"
        :choices="[['', 'none'] as const, ...besides.map((l) => [l.id, l.name] as const)]"
        :model-value="second"
        @update:model-value="(v) => (second = String(v))"
      />
      <span v-if="beside" class="soft small" data-together>
        {{ together ? 'Both by their own clocks.' : 'Their clocks do not overlap: both begin with their first row.' }}
      </span>
      <span v-if="other.isError.value" role="alert" class="bad">{{ other.error.value?.message }}</span>
    </p>
    <table v-if="bad.length" v-stack="['Finding']" data-log-findings>
      <thead>
        <tr>
          <th></th>
          <th>Finding</th>
          <th>From</th>
          <th></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(f, i) in bad" :key="i">
          <td><StateMark :state="MARK[f.verdict] ?? 'note'" /></td>
          <td>{{ f.message }}</td>
          <td class="soft small">{{ f.from.slice(0, 16).replace('T', ' ') }}</td>
          <td><button :aria-label="`Show ${f.what} in the plot`" @click="jump(f.from_s, f.to_s)">Show</button></td>
        </tr>
      </tbody>
    </table>
    <p v-if="bad.length && changes">
      <button :disabled="noted" @click="record.addKnown(entries)">
        {{ noted ? 'In the logbook' : 'Put these in the logbook' }}
      </button>
    </p>
    <section v-if="proposals.length && changes" class="proposals" aria-label="Measured, for the plan">
      <h2>Measured, for the plan</h2>
      <ul>
        <li v-for="p in proposals" :key="p.pointer" :data-proposal="p.pointer">
          <span
            ><b>{{ p.label }}</b> {{ valueShown(p.value) }}<template v-if="p.error"> ± {{ tidy(p.error, 3) }}</template>
            {{ p.unit === 'mohm' ? 'mΩ' : p.unit }} <span class="soft">the job says {{ valueShown(p.before) }}</span></span
          >
          <button @click="job.set(p.pointer, p.value)">Take it</button>
        </li>
      </ul>
    </section>
    <FoldPart v-if="good.length" name="logs:good" title="As planned" :says="counted(good.length, 'finding')">
      <ul>
        <li v-for="(f, i) in good" :key="i">
          {{ f.message }} <span class="soft small">{{ f.from.slice(0, 16).replace('T', ' ') }}</span>
        </li>
      </ul>
    </FoldPart>
    <FoldPart name="logs:figures" title="Figures" :says="counted(figures.length, 'figure')">
      <table data-log-figures>
        <tbody>
          <tr v-for="[name, f] in figures" :key="name">
            <td>{{ FIGURES[name]?.[0] ?? name }}</td>
            <td class="num">{{ figureShown(name, f) }}</td>
          </tr>
        </tbody>
      </table>
    </FoldPart>
    <FoldPart v-if="changes" name="logs:replay" title="Replay" says="as if it were read now">
      <p class="soft small">
        Its readings come on Live from the begin of the stretch above, for what is expected, for proofs and for the fault finder.
      </p>
      <div class="bar">
        <PickField v-model="speed" label="Speed" :choices="SPEEDS" />
        <span class="small" aria-hidden="true">stands for</span>
        <PickField v-model="stands" label="Stands for" :choices="devices" />
        <button data-replay @click="replay">Replay</button>
        <button v-if="replayed === log.id" class="link" @click="emit('live')">Look at it on Live</button>
        <span v-if="replayFailure" role="alert" class="bad">{{ replayFailure }}</span>
      </div>
    </FoldPart>
    <FoldPart name="logs:columns" title="Columns" :says="`${known.length} of ${Object.keys(told.columns).length} used`">
      <fieldset class="ticks">
        <legend>Drawn above</legend>
        <TickBox
          v-for="n in known"
          :key="n"
          :label="words[n] ?? n"
          :checked="names.includes(n)"
          @change="(on) => toggle(n, on)"
        />
      </fieldset>
      <div v-if="changes && log.again" class="columns">
        <PickField
          v-for="c in Object.keys(mapping)"
          :key="c"
          :label="c"
          :choices="CHOICES"
          :model-value="mapping[c] ?? ''"
          @update:model-value="(v) => (mapping[c] = v ? String(v) : null)"
        />
      </div>
      <p v-if="changes && log.again">
        <button :disabled="!changed || reading" @click="readAgain">Read again with these columns</button>
        <span v-if="refusal" role="alert" class="bad">{{ refusal }}</span>
      </p>
      <ul v-if="told.notes.length" class="soft small">
        <li v-for="(n, i) in told.notes" :key="i">{{ n }}</li>
      </ul>
      <p v-if="changes"><button @click="drop(log)">Delete this log</button></p>
    </FoldPart>
  </template>
</template>

<style scoped>
.answer {
  display: flex;
  align-items: center;
  gap: 8px;
  font-size: 17px;
  margin: 4px 0 8px;
}
.bar {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 12px;
  align-items: center;
  margin: 8px 0;
}
.progress {
  width: 240px;
}
.bad {
  color: var(--stop);
}
.proposals {
  margin: 24px 0 12px;
  max-width: 760px;
}
.proposals ul {
  list-style: none;
  padding: 0;
  margin: 0;
}
.proposals li {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 16px;
  justify-content: space-between;
  align-items: center;
  border-top: 1px solid var(--faint);
  padding: 4px 0;
}
.columns {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(220px, 1fr));
  gap: 12px 16px;
  margin: 12px 0;
}
.ticks {
  border: 0;
  padding: 0;
  margin: 0;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 16px;
}
</style>
