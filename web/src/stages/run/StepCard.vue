<script setup lang="ts">
// One step: what to do and why, what to mind, what should be seen, what was seen, the verdict, and what then.
import FoldPart from '../../ui/FoldPart.vue'
import { counted } from '../../ui/words'
import { vStack } from '../../ui/stack'
import { ElDialog, ElInput } from 'element-plus'
import 'element-plus/theme-chalk/el-input.css'
import { useIntervalFn } from '@vueuse/core'
import { computed, defineAsyncComponent, nextTick, ref, watch } from 'vue'
import type { Ask, RunStep, StepLine } from '../../api/client'
import FileButton from '../../ui/FileButton.vue'
import PickField from '../../ui/PickField.vue'
import StateMark from '../../ui/StateMark.vue'
import { moment, tidy } from '../../ui/figures'
import { readNumber } from '../../ui/numbers'
import { prefs } from '../../ui/prefs'
import KeptInput from '../../ui/KeptInput.vue'
import { useJob } from '../../job/use-job'
import { judgeGate, sameText } from '../../record/judge'
import { stands } from '../../record/standing'
import type { RunView } from '../../record/use-run'
import type { Meter, NewEvent } from '../../record/types'
import AskField from './AskField.vue'
import GateFigure from './GateFigure.vue'

const props = defineProps<{ step: RunStep; view: RunView }>()
const emit = defineEmits<{ next: []; step: [id: string]; go: [pointer: string]; symptom: [id: string]; instruments: [] }>()
const { record } = props.view
const told = computed(() => record.state.value.steps[props.step.id])
const where = computed(() => props.view.where.value[props.step.id] ?? 'ready')
const stateOf = (id: string) => record.state.value.steps[id]
const asks = computed(() => props.step.asks ?? [])
const only = computed(() => (asks.value.length === 1 && asks.value[0]?.kind === 'figure' ? asks.value[0] : null))
const readings = computed(() => told.value?.readings ?? {})
const judged = computed(() => props.view.site.value?.judged[props.step.id])
const section = computed(() => props.view.run.value?.sections.find((s) => s.id === props.step.section)?.word ?? '')
const titles = (ids: string[] | undefined) =>
  (ids ?? []).map((id) => props.view.byId.value.get(id)).filter((s): s is RunStep => !!s && !isFinished(s.id))
const isFinished = (id: string) => ['done', 'overridden', 'skipped'].includes(props.view.where.value[id] ?? '')
const blockers = computed(() => {
  const found: RunStep[] = []
  const seen = new Set<string>()
  const look = (id: string) => {
    for (const n of props.view.byId.value.get(id)?.needs ?? []) {
      if (seen.has(n)) continue
      seen.add(n)
      const s = props.view.byId.value.get(n)
      if (s && ['failed', 'open'].includes(props.view.where.value[n] ?? '')) found.push(s)
      look(n)
    }
  }
  if (where.value === 'blocked') look(props.step.id)
  return found
})
const before = computed(() => titles(props.step.needs))

// Instruments: the one last used for a kind comes first.
const chosen = ref<Record<string, string>>(JSON.parse(localStorage.getItem('ewerer:meters') ?? '{}') as Record<string, string>)
const kinds = computed(() => [...new Set(asks.value.map((a) => a.meter ?? '').filter(Boolean))])
const fitting = (kind: string) => props.view.meters.value.filter((m) => !m.kind || m.kind === kind)
const meterOf = (kind: string | undefined): Meter | null => {
  if (!kind || chosen.value[kind] === '') return null
  const all = fitting(kind)
  return all.find((m) => m.name === chosen.value[kind]) ?? all.find((m) => m.kind === kind) ?? null
}
const exactness = (m: Meter) => `${m.name}, ±${m.pct ?? 0} %${m.digits ? ` + ${m.digits} digits` : ''}`
function choose(kind: string, name: string) {
  chosen.value = { ...chosen.value, [kind]: name }
  localStorage.setItem('ewerer:meters', JSON.stringify(chosen.value))
}
const METERS: Record<string, string> = {
  volts: 'Voltmeter',
  clamp: 'Clamp meter',
  ohms: 'Ohmmeter',
  temperature: 'Thermometer',
  scope: 'Recorder',
}

async function note(ask: Ask, text: string, value: number | null, byCable = false) {
  const shown = text.trim()
  if (!shown) return record.takeBack((e) => e.kind === 'reading' && e.step === props.step.id && e.name === ask.name, 'read anew')
  const meter = ask.kind === 'figure' && !byCable ? meterOf(ask.meter) : null
  const event: NewEvent = { kind: 'reading', step: props.step.id, name: ask.name, shown: shown.slice(0, 60) }
  if (ask.unit) event.unit = ask.unit
  if (value !== null) event.value = value
  if (meter) event.meter = meter
  if (ask.kind === 'figure' && ask.gate && value !== null) {
    const verdict = judgeGate(ask.gate, value, meter, ask.unit, ask.compared)
    event.verdict = verdict.verdict
    event.text = verdict.text
    if (ask.gate.low != null) event.low = ask.gate.low
    if (ask.gate.high != null) event.high = ask.gate.high
  } else if (ask.good?.length) {
    event.verdict = ask.good.some((g) => sameText(shown, g) || sameText(asNumber(shown, ask.unit), g)) ? 'pass' : 'fail'
    event.text = event.verdict === 'pass' ? 'Good' : ask.kind === 'tick' ? 'It is not so' : `Should be ${ask.good.join(' or ')}`
  }
  const made: NewEvent[] = [event]
  // An entry that was read back is told as such, so that the sheet shows it too.
  if (props.step.section === 'enter' && ask.name === 'back')
    made.push({ kind: 'read-back', step: props.step.id, shown: event.shown as string })
  await record.add(...made)
}
/** Tests that a port can watch, and the unit that is watched. */
const WATCHED = new Set(['proof:same', 'proof:without-one', 'proof:link-loss'])
const WatchByCable = defineAsyncComponent(() => import('../../live/WatchByCable.vue'))
const job = useJob()
const hostOf = computed(() => job.plan.value?.link?.host_unit ?? '')
function byCable(name: string, value: number | string) {
  const ask = asks.value.find((a) => a.name === name)
  if (ask)
    void note(ask, typeof value === 'number' ? String(tidy(value, 2)) : value, typeof value === 'number' ? value : null, true)
}
const lines = computed(() => props.step.lines ?? [])
const gone = (l: StepLine) => !stands(l.enter, stateOf(l.id))
const undone = computed(() =>
  lines.value.filter((l) => gone(l) || !['done', 'overridden', 'skipped'].includes(stateOf(l.id)?.status ?? '')),
)
const noted = computed(() => Object.keys(record.state.value.found[props.step.devices?.[0] ?? ''] ?? {}).length)
// "Noted on the sheet" with nothing on it is not so.
const nothingNoted = computed(
  () => props.step.id.startsWith('found:settings:') && readings.value['noted']?.shown === 'noted on the sheet' && !noted.value,
)
const lacking = computed(() => asks.value.filter((a) => a.needed !== false && !readings.value[a.name]))
/** One line of a page, or all that are left, entered as listed. */
async function enterLines(which: StepLine[]) {
  await record.add(...which.map((l) => ({ kind: 'done' as const, step: l.id, shown: l.enter.slice(0, 60) })))
  await nextTick()
  if (!undone.value.length) emit('next')
  else card.value?.querySelector<HTMLElement>('[data-line-done][aria-pressed="false"]')?.focus()
}
async function lineBack(l: StepLine, text: string) {
  const shown = text.trim()
  if (!shown) return
  const same = sameText(shown, l.enter) || sameText(asNumber(shown, l.unit), l.enter)
  await record.add({
    kind: 'read-back',
    step: l.id,
    shown: shown.slice(0, 60),
    verdict: same ? 'pass' : 'fail',
    text: same ? 'As entered' : `It shows ${shown}, entered was ${l.enter}`,
  })
  if (same && !['done', 'skipped'].includes(stateOf(l.id)?.mark ?? '')) await enterLines([l])
}
/** "27.6 V" and "27,6" are 27.6, as anywhere else. */
function asNumber(text: string, unit: string | undefined): string {
  const said = readNumber(text, unit ?? '', { mark: prefs.value.mark })
  return said.value === undefined ? text : String(said.value)
}
const bad = computed(() => where.value === 'failed' || judged.value?.verdict === 'fail')
const unsure = computed(() => where.value === 'unsure' || judged.value?.verdict === 'unsure')
const open = computed(() =>
  (props.step.temporary ? [props.step.id, ...(props.step.changes ?? []).map((c) => c.id)] : []).some((id) => stateOf(id)?.open),
)

// A wait, and a stopwatch.
const now = ref(Date.now())
useIntervalFn(() => (now.value = Date.now()), 500)
const started = computed(() => told.value?.timers['wait'])
const left = computed(() =>
  props.step.wait_s && started.value
    ? Math.max(0, Math.ceil(props.step.wait_s - (now.value - Date.parse(started.value)) / 1000))
    : null,
)
const clock = (s: number) => (s >= 60 ? `${Math.floor(s / 60)} min ${s % 60} s` : `${s} s`)
const press = (name: string) => record.add({ kind: 'timer', step: props.step.id, name })
const since = (i: number) => {
  const all = props.step.stopwatch ?? []
  const [a, b] = [told.value?.timers[all[0] ?? ''], told.value?.timers[all[i] ?? '']]
  return i && a && b ? `${tidy((Date.parse(b) - Date.parse(a)) / 1000, 1)} s` : b ? b.slice(11, 19) : ''
}

const mustWait = computed(() => props.step.kind === 'wait' && !!props.step.wait_s && left.value !== 0)
// What the figures say comes from the server: without a line it follows later.
const working = computed(
  () => !!props.step.figures && Object.keys(readings.value).length > 0 && props.view.judging.value && !record.away.value,
)
const mayDo = computed(
  () =>
    ['ready', 'begun', 'unsure'].includes(where.value) &&
    !lacking.value.length &&
    !lines.value.length &&
    !nothingNoted.value &&
    !bad.value &&
    !unsure.value &&
    !open.value &&
    !mustWait.value &&
    !working.value &&
    !(props.step.temporary && !allBack.value && props.step.kind === 'test'),
)
async function done() {
  if (!mayDo.value) return
  await record.add({ kind: 'done', step: props.step.id })
  emit('next')
}
const word = computed(() => {
  if (where.value === 'done') return 'Next'
  if (where.value === 'blocked') return 'Blocked'
  if (where.value === 'waiting') return 'Not yet'
  if (bad.value) return only.value ? 'Measure again' : 'Not good yet'
  if (open.value) return 'First put it back'
  if (unsure.value) return 'Measure again'
  if (lines.value.length && undone.value.length)
    return undone.value.length === 1
      ? 'Entered'
      : undone.value.length < lines.value.length
        ? `The other ${undone.value.length} too`
        : `All ${lines.value.length} entered`
  if (nothingNoted.value) return 'Note them first'
  if (lacking.value.length)
    return lacking.value.length === 1 ? `Still: ${lacking.value[0]?.label}` : `Still ${lacking.value.length} to note`
  if (working.value) return 'Working it out'
  if (mustWait.value)
    return left.value === null ? `Start the wait of ${clock(props.step.wait_s ?? 0)}` : `Wait ${clock(left.value)}`
  if (props.step.temporary && !allBack.value && props.step.kind === 'test') return 'Change it first'
  return 'Done'
})
const card = ref<HTMLElement>()
function main() {
  if (where.value === 'done' || where.value === 'overridden' || where.value === 'skipped') emit('next')
  else if (lines.value.length && undone.value.length && ['ready', 'begun'].includes(where.value)) void enterLines(undone.value)
  else if (mayDo.value) void done()
  else if (mustWait.value && left.value === null && ['ready', 'begun'].includes(where.value)) void press('wait')
  else card.value?.querySelector<HTMLElement>('input:not([type=file])')?.focus()
}

// Reasons: going on anyway, leaving out, taking back.
const asking = ref<'override' | 'skipped' | 'undo' | ''>('')
const reason = ref('')
const REASON = {
  override: ['Override', 'Why may the work go on? Your name and this reason stand in the handover.'],
  skipped: ['Leave it out', 'Why is it left out? It stands in the handover.'],
  undo: ['Take it back', 'What was wrong?'],
} as const
async function give() {
  const text = reason.value.trim()
  if (!text || !asking.value) return
  const kind = asking.value
  asking.value = ''
  reason.value = ''
  if (kind === 'undo')
    await record.takeBack(
      (e) => e.step === props.step.id && ['done', 'skipped', 'override', 'verdict', 'temporary'].includes(e.kind),
      text,
    )
  else {
    await record.add({ kind, step: props.step.id, text })
    emit('next')
  }
}

// Changes for a while: each is made, put back and read back by itself.
const changes = computed(() => {
  const first = props.step.temporary
  return first ? [{ ...first, id: props.step.id }, ...(props.step.changes ?? [])] : []
})
type Changed = (typeof changes.value)[number]
const changeTo = ref<Record<string, string>>({})
const back = ref<Record<string, string>>({})
const openOf = (id: string) => stateOf(id)?.open ?? null
const allBack = computed(() => changes.value.every((t) => !openOf(t.id) && stateOf(t.id)?.back))
async function change(t: Changed) {
  const text = (changeTo.value[t.id] ?? '').trim() || t.to || 'out'
  changeTo.value[t.id] = ''
  const event: NewEvent = { kind: 'temporary', step: t.id, shown: text.slice(0, 60), text: t.label }
  if (t.device) event.device = t.device
  if (t.setting) event.setting = t.setting
  await record.add(event)
}
async function putBack(t: Changed, text: string) {
  const shown = text.trim()
  if (!shown) return
  const same = sameText(shown, t.back_to) || sameText(asNumber(shown, t.unit), t.back_to)
  if (same) back.value[t.id] = ''
  await record.add({
    kind: 'restored',
    step: t.id,
    shown: shown.slice(0, 60),
    verdict: same ? 'pass' : 'fail',
    text: same ? 'Back, read back' : `It must show ${t.back_to} again`,
  })
}

const noting = ref('')
async function addNote() {
  // The field is empty at once: what is typed while the note is kept belongs to the next one.
  const text = noting.value.trim()
  noting.value = ''
  if (!text) return
  try {
    await record.add({ kind: 'note', step: props.step.id, text })
  } catch (error) {
    noting.value = text
    throw error
  }
}
async function photos(files: File[]) {
  for (const file of files) {
    if (file.size > 12_000_000) record.failure.value = `${file.name} has more than 12 MB; nothing was kept of it.`
    else await record.addPhoto(file, props.step.id)
  }
}
const pictures = computed(() => (told.value?.photos ?? []).map((key) => ({ key, kept: record.photos.value.get(key) })))
const urls = new Map<string, string>()
function source(key: string): string {
  const kept = record.photos.value.get(key)
  if (!kept) return `/api/jobs/${record.id}/photos/${key}`
  if (!urls.has(key)) urls.set(key, URL.createObjectURL(kept.blob))
  return urls.get(key) as string
}
const rows = computed(() => {
  const out = new Map<string, Map<string, Ask>>()
  if (!props.step.columns?.length) return out
  for (const a of asks.value) {
    if (!a.row) continue
    const row = out.get(a.row ?? '') ?? new Map<string, Ask>()
    row.set(a.column ?? '', a)
    out.set(a.row ?? '', row)
  }
  return out
})
/** What is asked beside the table. */
const beside = computed(() => asks.value.filter((a) => !a.row))
const verdictWord = computed(() => {
  if (judged.value?.verdict) return judged.value.text
  const worst = ['fail', 'unsure', 'pass']
    .map((v) => Object.values(readings.value).find((r) => r.verdict === v))
    .find((r) => r !== undefined)
  return worst?.text ?? (judged.value?.text || told.value?.text || '')
})
const verdictKind = computed(() => {
  if (judged.value?.verdict) return judged.value.verdict
  const all = Object.values(readings.value).map((r) => r.verdict)
  return all.includes('fail') ? 'fail' : all.includes('unsure') ? 'unsure' : all.includes('pass') ? 'pass' : ''
})
// The first thing to type is ready for it, or the step's own button.
watch(
  () => props.step.id,
  async () => {
    changeTo.value = {}
    back.value = {}
    noting.value = ''
    await nextTick()
    const first =
      card.value?.querySelector<HTMLElement>('[data-change], [data-ask] input:not([type=file]), [data-ask] button') ??
      card.value?.querySelector<HTMLElement>('[data-main]')
    first?.focus({ preventScroll: true })
    card.value?.closest('.main')?.scrollTo({ top: 0 })
  },
  { immediate: true },
)
const besideSays = computed(() => {
  const held = [
    pictures.value.length ? counted(pictures.value.length, 'photo') : '',
    told.value?.notes.length ? counted(told.value.notes.length, 'note') : '',
  ]
  return held.filter(Boolean).join(', ')
})
</script>

<template>
  <article ref="card" class="card" :data-run-step="step.id" :class="where">
    <p class="soft over">
      {{ section }}<template v-if="step.devices?.length"> · {{ step.devices.join(', ') }}</template>
      <template v-if="step.menu?.length"> · {{ step.menu.join(' › ') }}</template>
    </p>
    <h2>{{ step.what }}</h2>
    <p v-if="step.why" class="soft">{{ step.why.charAt(0).toUpperCase() + step.why.slice(1) }}.</p>
    <p v-for="c in step.cautions ?? []" :key="c" class="mind">{{ c }}</p>
    <p v-if="step.keys?.length" class="keys">
      <span v-for="(k, i) in step.keys" :key="i" class="key">{{ k }}</span>
    </p>
    <p v-if="step.expect" class="expect">
      Should show <b>{{ step.expect }}</b><span v-if="step.shows" class="soft">, shows {{ step.shows }} before</span>
    </p>

    <p v-if="where === 'blocked'" class="held" role="status">
      <StateMark state="stop" /> Blocked by
      <button v-for="s in blockers" :key="s.id" class="link" @click="emit('step', s.id)">{{ s.title }}</button>
    </p>
    <p v-else-if="where === 'waiting'" class="held" role="status">
      Waits for
      {{
        before
          .slice(0, 3)
          .map((s) => s.title)
          .join(', ')
      }}{{ before.length > 3 ? ` and ${before.length - 3} more` : '' }}.
    </p>

    <WatchByCable
      v-if="WATCHED.has(step.id) && where !== 'blocked' && where !== 'waiting'"
      :step="step"
      :host="hostOf"
      @reading="byCable"
      @changed="changes[0] && change(changes[0])"
      @back="changes[0] && putBack(changes[0], changes[0].back_to)"
      @timed="(text) => record.add({ kind: 'note', step: step.id, text: `watched over the cable: ${text}` })"
    />
    <section
      v-for="t in changes"
      :key="t.id"
      class="temporary"
      :class="{ on: openOf(t.id) }"
      :aria-label="`Change for the test: ${t.label}`"
    >
      <template v-if="!openOf(t.id)">
        <p>
          For the test only: <b>{{ t.label }}</b><span v-if="t.menu?.length" class="soft small"> {{ t.menu.join(' › ') }}</span
          >, {{ t.to || 'taken out' }}. After it must be <b>{{ t.back_to }} {{ t.unit }}</b> again.
        </p>
        <p class="line">
          <ElInput
            v-if="t.setting"
            v-model="changeTo[t.id]"
            :aria-label="`What ${t.label} is set to for the test`"
            :placeholder="`set to, ${t.unit || 'as displayed'}`"
            :validate-event="false"
            @keydown.enter="change(t)"
          />
          <button data-change :disabled="where === 'blocked' || where === 'waiting'" @click="change(t)">It is changed</button>
          <span v-if="stateOf(t.id)?.back" class="good"><StateMark state="ok" /> Put back: {{ stateOf(t.id)?.back }}</span>
        </p>
      </template>
      <template v-else>
        <p role="alert">
          <b>Changed for the test: {{ t.label }} is {{ openOf(t.id)?.shown }}.</b> Put it back to
          <b>{{ t.back_to }} {{ t.unit }}</b> and read it back. Nothing can be signed before.
        </p>
        <p class="line">
          <template v-if="t.setting">
            <ElInput
              v-model="back[t.id]"
              :aria-label="`${t.label} read back`"
              :placeholder="`shows again, ${t.unit || 'as displayed'}`"
              :validate-event="false"
              @keydown.enter="putBack(t, back[t.id] ?? '')"
            />
            <button data-restore @click="putBack(t, back[t.id] ?? '')">It shows that</button>
          </template>
          <button v-else data-restore @click="putBack(t, t.back_to)">It is {{ t.back_to }}</button>
          <span v-if="stateOf(t.id)?.back && !sameText(stateOf(t.id)?.back ?? '', t.back_to)" class="bad" role="alert"
            >It shows {{ stateOf(t.id)?.back }}. It must show {{ t.back_to }} again</span
          >
        </p>
      </template>
    </section>

    <section v-if="step.stopwatch?.length" class="watch" aria-label="Stopwatch">
      <button v-for="(name, i) in step.stopwatch" :key="name" class="plain-big" @click="press(name)">
        {{ name }} <b>{{ since(i) }}</b>
      </button>
    </section>
    <p v-if="step.wait_s && where !== 'done' && (started || step.kind !== 'wait')" class="line">
      <button v-if="!started" @click="press('wait')">Time {{ clock(step.wait_s) }}</button>
      <b v-else role="timer">{{ left ? `${clock(left)} left` : 'The wait is over' }}</b>
    </p>

    <ol v-if="lines.length" class="page" aria-label="Entries of this page">
      <li v-for="l in lines" :key="l.id" :class="[stateOf(l.id)?.status, { differs: l.differs }]" :data-page-line="l.id">
        <span class="name"
          >{{ l.label }} <small v-if="l.menu" class="soft">{{ l.menu }}</small>
          <small v-if="l.temporary" class="mind">for now only</small>
          <small v-if="gone(l)" class="mind" data-gone>{{ stateOf(l.id)?.shown }} was entered; the plan has changed since</small>
          <small v-for="c in l.cautions ?? []" :key="c" class="mind">{{ c }}</small></span
        >
        <span class="now"
          ><b>{{ l.enter }}</b> {{ l.unit }}<small v-if="l.shows" class="soft"> shows {{ l.shows }}</small></span
        >
        <KeptInput
          :value="stateOf(l.id)?.back ?? ''"
          :aria-label="`${l.label} read back`"
          placeholder="reads"
          :disabled="where === 'blocked' || where === 'waiting'"
          @commit="(text) => lineBack(l, text)"
        />
        <button
          data-line-done
          :aria-pressed="!undone.includes(l)"
          :aria-label="`${l.label} entered`"
          :disabled="!undone.includes(l) || where === 'blocked' || where === 'waiting'"
          @click="enterLines([l])"
        >
          {{ undone.includes(l) ? 'Entered' : stateOf(l.id)?.status === 'skipped' ? 'left out' : '✓' }}
        </button>
        <span v-if="stateOf(l.id)?.verdict === 'fail'" class="bad" role="alert">{{ stateOf(l.id)?.text }}</span>
      </li>
    </ol>
    <p v-for="k in kinds" :key="k" class="line meter">
      <span>{{ METERS[k] ?? k }}</span>
      <PickField
        :model-value="meterOf(k)?.name ?? ''"
        :label="METERS[k] ?? k"
        :choices="[['', 'not named'], ...fitting(k).map((m) => [m.name, exactness(m)] as [string, string])]"
        @pick="(name) => choose(k, String(name))"
      />
      <button class="link" @click="emit('instruments')">Instruments</button>
    </p>

    <template v-if="only">
      <GateFigure
        v-if="only.gate"
        :ask="only"
        :value="readings[only.name]?.value ?? null"
        :verdict="readings[only.name]?.verdict"
        :meter="meterOf(only.meter)"
      />
      <div class="read">
        <AskField big :ask="only" :told="readings[only.name]" @note="(text, value) => note(only as Ask, text, value)" />
        <div class="box" aria-live="polite">
          <span class="soft small">Verdict</span>
          <b :class="['verdict', verdictKind]">{{ verdictWord || 'not read yet' }}</b>
          <span v-if="bad && step.fails" class="soft">{{ step.fails }}</span>
        </div>
      </div>
    </template>
    <template v-else-if="rows.size">
      <div v-if="beside.length" class="several">
        <AskField
          v-for="a in beside"
          :key="a.name"
          :ask="a"
          :told="readings[a.name]"
          @note="(text, value) => note(a, text, value)"
        />
      </div>
      <div class="scroll" tabindex="0" aria-label="Readings">
        <table v-stack>
          <thead>
            <tr>
              <th></th>
              <th v-for="c in step.columns" :key="c">{{ c }}</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="[row, cells] in rows" :key="row">
              <th scope="row">{{ row }}</th>
              <td v-for="c in step.columns" :key="c">
                <AskField
                  v-if="cells.get(c)"
                  bare
                  :ask="cells.get(c) as Ask"
                  :label="`${row}, ${c}`"
                  :told="readings[(cells.get(c) as Ask).name]"
                  @note="(text, value) => note(cells.get(c) as Ask, text, value)"
                />
              </td>
            </tr>
          </tbody>
        </table>
      </div>
    </template>
    <div v-else-if="asks.length" class="several">
      <AskField v-for="a in asks" :key="a.name" :ask="a" :told="readings[a.name]" @note="(text, value) => note(a, text, value)" />
    </div>
    <p v-if="!only && verdictWord" class="verdict-line" aria-live="polite">
      <b :class="['verdict', verdictKind]">{{ verdictWord }}</b>
      <span v-if="bad && step.fails" class="soft"> {{ step.fails }}</span>
    </p>
    <ul v-if="judged?.figures?.length" class="figures">
      <li v-for="f in judged.figures" :key="f.name">
        {{ f.word }}
        <b
          >{{ f.value === null || f.value === undefined ? 'unknown' : tidy(f.value, 3)
          }}<template v-if="f.error"> ± {{ tidy(f.error, 3) }}</template> {{ f.unit }}</b
        >
      </li>
    </ul>
    <p v-if="step.id.startsWith('found:settings:') && step.devices?.length">
      <button @click="emit('go', `/as_found/${step.devices[0]}`)">Note the settings of {{ step.devices[0] }}</button>
      <span class="soft"> {{ noted }} noted</span>
    </p>

    <p v-if="told?.override" class="override" role="status">
      Overridden: {{ told.override.text }} ({{ told.override.by }}, {{ moment(told.override.at) }})
    </p>
    <p v-if="told?.mark === 'skipped'" class="override" role="status">Left out: {{ told.reason }} ({{ told.by }})</p>
    <p v-if="where === 'done'" class="good" role="status">
      <StateMark state="ok" /> Done by {{ told?.by }}, {{ moment(told?.at ?? '') }}
    </p>

    <div class="act">
      <button v-if="(bad || unsure) && where !== 'blocked' && !step.firm" @click="asking = 'override'">Override…</button>
      <button v-if="step.optional && !isFinished(step.id) && !open" @click="asking = 'skipped'">Leave out…</button>
      <button v-if="(told?.mark || told?.override) && !open" class="plain" @click="asking = 'undo'">Take back…</button>
      <button v-if="step.symptom && (bad || unsure)" @click="emit('symptom', step.symptom)">Fault finder</button>
      <button class="go" data-main :class="{ idle: !mayDo && !isFinished(step.id) }" @click="main">{{ word }}</button>
    </div>

    <FoldPart name="run:beside" title="Photo or note" :says="besideSays">
      <div class="beside">
        <FileButton word="Photo" label="Photo for this step" accept="image/jpeg,image/png,image/webp" multiple @files="photos" />
        <ElInput
          v-model="noting"
          class="noting"
          placeholder="Note"
          aria-label="Note on this step"
          :validate-event="false"
          @keydown.enter="addNote"
        />
        <button :disabled="!noting.trim()" @click="addNote">Save</button>
      </div>
    </FoldPart>
    <p v-if="pictures.length" class="pictures">
      <a v-for="p in pictures" :key="p.key" :href="source(p.key)" target="_blank" rel="noopener"
        ><img :src="source(p.key)" :alt="`Photo of ${step.title}`"
      /></a>
    </p>
    <ul v-if="told?.notes.length" class="notes">
      <li v-for="n in told.notes" :key="n.id">
        {{ n.text }} <span class="soft small">{{ n.by }}, {{ moment(n.at) }}</span>
      </li>
    </ul>

    <ElDialog :model-value="asking !== ''" :title="asking ? REASON[asking][0] : ''" width="min(460px, 94vw)" @close="asking = ''">
      <form v-if="asking" @submit.prevent="give">
        <label for="run-reason">{{ REASON[asking][1] }}</label>
        <ElInput id="run-reason" v-model="reason" class="full" autofocus :validate-event="false" />
        <p class="line">
          <button class="first" :disabled="!reason.trim()">{{ REASON[asking][0] }}</button>
          <button type="button" class="plain" @click="asking = ''">Not now</button>
        </p>
      </form>
    </ElDialog>
  </article>
</template>

<style scoped>
.card {
  max-width: 760px;
}
.over {
  margin-bottom: 2px;
}
h2 {
  font-size: 25px;
  line-height: 1.2;
  margin: 0 0 6px;
}
.mind {
  color: var(--caution);
  font-weight: 600;
  margin: 8px 0 0;
}
.keys {
  display: flex;
  flex-wrap: wrap;
  gap: 7px;
  margin: 10px 0 4px;
}
.key {
  border: 1px solid var(--ink);
  border-bottom-width: 3px;
  border-radius: 3px;
  padding: 3px 9px;
  background: var(--raised);
  font-weight: 600;
}
.expect {
  font-size: 19px;
  margin-top: 8px;
}
.held {
  border-left: 4px solid var(--rule);
  padding: 6px 12px;
  margin: 10px 0;
}
.blocked .held {
  border-left-color: var(--stop);
  background: var(--stop-wash);
}
.temporary {
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 8px 12px;
  margin: 10px 0;
}
.temporary.on {
  border: 3px solid var(--caution);
}
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 12px;
  align-items: center;
  margin: 8px 0;
}
.line :deep(.el-input) {
  max-width: 220px;
}
.page {
  list-style: none;
  padding: 0;
  margin: 12px 0 0;
}
.page li {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(96px, auto) 92px 96px;
  gap: 4px 10px;
  align-items: center;
  border-top: 1px solid var(--rule);
  padding: 5px 0;
}
.page .now {
  font-size: 19px;
}
.page small {
  display: block;
  font-size: 13px;
}
.page .differs .now b {
  border-bottom: 3px solid var(--copper);
}
.page .bad {
  grid-column: 1 / -1;
}
.page button {
  min-height: 44px;
}
.page [aria-pressed='true'] {
  border-color: transparent;
  color: var(--bank);
}
.watch {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
  margin: 10px 0;
}
.plain-big {
  min-height: 56px;
  min-width: 120px;
  font-size: 17px;
}
.meter :deep(.pick) {
  width: 270px;
}
.read {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 16px;
  margin-top: 8px;
}
.box {
  background: var(--raised);
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 9px 13px;
  display: grid;
  align-content: start;
  gap: 2px;
}
.verdict {
  font-size: 19px;
}
.verdict.pass,
.good {
  color: var(--bank);
}
.verdict.fail,
.bad {
  color: var(--stop);
}
.verdict.unsure {
  color: var(--caution);
}
.verdict-line {
  margin: 10px 0;
}
.several {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(min(220px, 100%), 1fr));
  gap: 12px;
  margin-top: 10px;
}
.scroll {
  overflow-x: auto;
  margin-top: 10px;
}
.figures {
  list-style: none;
  padding: 0;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 22px;
}
.override {
  color: var(--caution);
  font-weight: 600;
  margin-top: 8px;
}
.good {
  display: flex;
  gap: 6px;
  align-items: center;
  margin-top: 8px;
}
.act {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
  margin-top: 16px;
}
.act button {
  min-height: 52px;
  font-size: 17px;
  padding: 0 16px;
  border-color: var(--ink);
}
.act .go {
  flex: 1 1 130px;
  justify-content: center;
  background: var(--ink);
  color: var(--sheet);
  font-weight: 700;
}
.act .go.idle {
  background: none;
  color: var(--ink);
  border-style: dashed;
}
.act .plain {
  border-color: transparent;
}
.beside {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-top: 12px;
}
.noting {
  flex: 1;
}
.pictures {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin-top: 10px;
}
.pictures img {
  height: 92px;
  max-width: 160px;
  object-fit: cover;
  border: 1px solid var(--rule);
}
.full {
  margin-top: 6px;
}
@media (max-width: 640px) {
  .page li {
    grid-template-columns: minmax(84px, 1fr) 104px 92px;
  }
  .page .name {
    grid-column: 1 / -1;
  }
  h2 {
    font-size: 21px;
  }
  .read {
    grid-template-columns: 1fr;
    gap: 10px;
  }
  /* The big button stays under the thumb. */
  .act {
    position: sticky;
    bottom: 0;
    background: var(--sheet);
    border-top: 1px solid var(--rule);
    padding: 8px 0 10px;
    z-index: 2;
  }
  .act button:not(.go) {
    flex: 1 1 0;
    min-height: 44px;
    font-size: 15px;
    padding: 0 8px;
    justify-content: center;
  }
  .act .go {
    flex-basis: 100%;
    order: -1;
    min-height: 60px;
  }
}
</style>
