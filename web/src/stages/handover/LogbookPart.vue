<script setup lang="ts">
// The logbook over the site's life: faults in groups, entries by hand or from a list, raised limits with the day to take them back.
import { vStack } from '../../ui/stack'
import { ElInput } from 'element-plus'
import 'element-plus/theme-chalk/el-input.css'
import { computed, reactive, ref } from 'vue'
import { api, ApiProblem, type LogOut } from '../../api/client'
import EmptyNote from '../../ui/EmptyNote.vue'
import FileButton from '../../ui/FileButton.vue'
import PickField from '../../ui/PickField.vue'
import StateMark from '../../ui/StateMark.vue'
import { moment } from '../../ui/figures'
import { useJob } from '../../job/use-job'
import type { LogEntry } from '../../record/types'
import type { RunView } from '../../record/use-run'

const props = defineProps<{ view: RunView }>()
const emit = defineEmits<{ symptom: [id: string] }>()
const job = useJob()
const { record } = props.view
const faults = computed(() => props.view.site.value?.faults ?? [])
const MARKS: Record<string, string> = { present: 'stop', unknown: 'caution', history: 'note', past: 'ok' }
const KINDS: LogEntry['kind'][] = ['fault', 'warning', 'note', 'limit', 'firmware', 'visit', 'reading', 'setting']
const made = reactive<Record<string, string>>({
  kind: 'fault',
  device: '',
  code: '',
  text: '',
  cleared: '',
  from: '',
  to: '',
  own_limit: '',
  due: '',
})
const devices = computed(() => {
  const d = job.document.value
  return [...(d?.units ?? []), ...(d?.sun?.chargers ?? []), ...(d?.bank?.modules ?? [])].map((x) => [x.id, x.id] as const)
})
const limit = computed(() => made.kind === 'limit')
const mayKeep = computed(() => (limit.value ? !!(made.text && made.from && made.to) : !!(made.text || made.code)))
async function keep() {
  if (!mayKeep.value) return
  const entry: Record<string, unknown> = {}
  for (const [k, v] of Object.entries(made)) if (v.trim()) entry[k] = v.trim()
  await record.add({ kind: 'log', entry: entry as unknown as LogEntry })
  for (const k of ['code', 'text', 'cleared', 'from', 'to', 'own_limit', 'due']) made[k] = ''
}
// Setting changes come by themselves, from what was found, entered and read back.
const lines = computed(() =>
  [
    ...record.state.value.log.map((l) => ({ ...l })),
    ...(props.view.site.value?.changes ?? []).map((entry, i) => ({
      id: `change-${i}`,
      at: entry.when ?? '',
      by: 'the run',
      entry: { ...entry, when: undefined } as unknown as LogEntry,
    })),
  ].sort((a, b) => (a.at < b.at ? 1 : -1)),
)
const shown = ref(40)

const MEANINGS = ['', 'kind', 'when', 'device', 'code', 'text', 'cleared', 'count', 'seconds', 'menu', 'from', 'to'].map(
  (m) => [m, m || 'passed over'] as const,
)
const text = ref('')
const list = ref<LogOut | null>(null)
const said = ref('')
async function look(mapping: Record<string, string> | null) {
  said.value = ''
  try {
    list.value = await api.readLog(job.id, text.value, mapping)
  } catch (error) {
    if (!(error instanceof ApiProblem)) throw error
    said.value = error.problems.map((p) => `${p.message}; right would be ${p.expected ?? ''}`).join('; ') || error.message
  }
}
async function file([one]: File[]) {
  if (!one) return
  text.value = await one.text()
  const kept = JSON.parse(localStorage.getItem('ewerer:log-columns') ?? 'null') as Record<string, string> | null
  const header = text.value.split(/\r?\n/, 1)[0] ?? ''
  await look(kept && Object.keys(kept).every((c) => header.includes(c)) ? kept : null)
}
async function mean(column: string, meaning: string) {
  const mapping = { ...(list.value?.mapping ?? {}) }
  delete mapping[column]
  if (meaning) mapping[column] = meaning
  await look(mapping)
}
async function take() {
  if (!list.value) return
  localStorage.setItem('ewerer:log-columns', JSON.stringify(list.value.mapping))
  const n = await record.addKnown(
    list.value.entries.map((e) => ({ id: e.id, kind: 'log', entry: e.entry as unknown as LogEntry })),
  )
  said.value = `${n} new of ${list.value.entries.length}.`
  list.value = null
}
</script>

<template>
  <section v-if="faults.length" aria-label="Faults">
    <h2>Faults</h2>
    <table v-stack>
      <thead>
        <tr>
          <th></th>
          <th>Device</th>
          <th>Fault</th>
          <th class="num">Times</th>
          <th>Stands</th>
          <th>Likely</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="f in faults" :key="`${f.device} ${f.code}`" data-fault>
          <td><StateMark :state="MARKS[f.standing] ?? 'note'" /></td>
          <td>{{ f.device }}</td>
          <td>
            {{ f.code }} {{ f.text === f.code ? '' : f.text }} <span class="soft small">{{ f.first }} to {{ f.last }}</span>
          </td>
          <td class="num">{{ f.count }}</td>
          <td>
            <b>{{ f.standing }}</b> <span class="soft small">{{ f.why }}</span>
          </td>
          <td class="small">
            {{ (f.causes ?? []).slice(0, 2).join('; ') }}
            <button v-if="f.symptom" class="link" @click="emit('symptom', f.symptom)">Find out</button>
          </td>
        </tr>
      </tbody>
    </table>
  </section>
  <form class="new" aria-label="New entry" @submit.prevent="keep">
    <span class="of">Entry <PickField v-model="made.kind" label="Entry" :choices="KINDS.map((k) => [k, k] as const)" /></span>
    <span class="of">Device <PickField v-model="made.device" label="Device" :choices="[['', 'site'], ...devices]" /></span>
    <label v-if="!limit">Code <ElInput v-model="made.code" maxlength="40" :validate-event="false" /></label>
    <label class="wide"
      >{{ limit ? 'Which limit, and why' : 'Words' }} <ElInput v-model="made.text" maxlength="400" :validate-event="false"
    /></label>
    <template v-if="limit">
      <label>From <ElInput v-model="made.from" maxlength="60" :validate-event="false" /></label>
      <label>To <ElInput v-model="made.to" maxlength="60" :validate-event="false" /></label>
      <label>The module's own limit <ElInput v-model="made.own_limit" maxlength="60" :validate-event="false" /></label>
      <label>Take back by <input v-model="made.due" type="date" /></label>
    </template>
    <label v-else
      >Cleared at <ElInput v-model="made.cleared" maxlength="40" placeholder="2026-05-04 09:12" :validate-event="false"
    /></label>
    <button class="first" :disabled="!mayKeep">Save</button>
    <FileButton word="Read a list (CSV)" label="Event list" accept=".csv,.txt,text/csv" @files="file" />
    <a class="button plain" :href="`/api/jobs/${job.id}/log.csv`" download>Export</a>
  </form>
  <p v-if="limit" class="mind">A raised limit wears the bank and may void its warranty: the module's own limit counts.</p>
  <p v-if="said" role="status">{{ said }}</p>
  <section v-if="list" class="import" aria-label="Read list">
    <h2>What each column is</h2>
    <p class="columns">
      <span v-for="c in list.columns" :key="c" class="of"
        >{{ c }}
        <PickField
          :model-value="list.mapping[c] ?? ''"
          :label="`What ${c} is`"
          :choices="MEANINGS"
          @pick="(m) => mean(c, String(m))"
      /></span>
    </p>
    <ul v-if="list.problems.length" class="bad" role="alert">
      <li v-for="p in list.problems.slice(0, 6)" :key="p.pointer">{{ p.pointer }}: {{ p.message }}</li>
    </ul>
    <p>
      {{ list.entries.length }} entries can be read<template v-if="list.entries[0]"
        >, the first: {{ list.entries[0].entry.code }} {{ list.entries[0].entry.text }}</template
      >.
      <button class="first" :disabled="!list.entries.length" @click="take">Take them</button>
      <button class="plain" @click="list = null">Not now</button>
    </p>
  </section>
  <EmptyNote v-if="!lines.length" title="The logbook is empty"
    >Faults, firmware, raised limits, visits: whatever happens to the site.</EmptyNote
  >
  <table v-else v-stack>
    <thead>
      <tr>
        <th>When</th>
        <th>Kind</th>
        <th>Device</th>
        <th>What</th>
        <th>By</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="l in lines.slice(0, shown)" :key="l.id" data-log>
        <td class="small">{{ l.entry.when || moment(l.at) }}</td>
        <td>{{ l.entry.kind }}</td>
        <td>{{ l.entry.device }}</td>
        <td>
          {{ l.entry.code }} {{ l.entry.text }}
          <template v-if="l.entry.from || l.entry.to">: {{ l.entry.from }} to {{ l.entry.to }}</template>
          <span class="soft small">
            <template v-if="l.entry.own_limit">own limit {{ l.entry.own_limit }} </template>
            <template v-if="l.entry.due">back by {{ l.entry.due }} </template>
            <template v-if="l.entry.cleared">cleared {{ l.entry.cleared }}</template></span
          >
        </td>
        <td class="soft small">{{ l.by }}</td>
      </tr>
    </tbody>
  </table>
  <p v-if="lines.length > shown">
    <button @click="shown += 100">Show older, {{ lines.length - shown }} more</button>
  </p>
</template>

<style scoped>
.new {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
  align-items: end;
  margin: 14px 0;
}
.wide {
  flex: 1 1 220px;
}
.of {
  display: grid;
}
.of :deep(.pick) {
  width: 130px;
}
input[type='date'] {
  font: inherit;
  min-height: 40px;
  color: var(--ink);
  background: var(--raised);
  border: 1px solid var(--rule);
  border-radius: 3px;
  display: block;
}
.columns {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
  margin-bottom: 8px;
}
.import {
  border-left: 3px solid var(--copper);
  padding: 6px 12px;
  margin: 10px 0;
}
.mind {
  color: var(--caution);
  font-weight: 600;
}
.bad {
  color: var(--stop);
}
</style>
