<script setup lang="ts">
// What the simulation rests on: first day, weather, measured series, outages.
import FoldPart from '../../ui/FoldPart.vue'
import { vStack } from '../../ui/stack'
import DateField from '../../ui/DateField.vue'
import FileButton from '../../ui/FileButton.vue'
import PickField from '../../ui/PickField.vue'
import { ref } from 'vue'
import { api, ApiProblem } from '../../api/client'
import NumberField from '../../ui/NumberField.vue'
import TextField from '../../ui/TextField.vue'
import { tidy } from '../../ui/figures'
import { useJob } from '../../job/use-job'

defineProps<{ shown: string }>()
const job = useJob()
interface Series {
  step_min?: number
  start?: string
  values_w: number[]
}
interface Outage {
  date: string
  from: string
  to: string
}
const series = (of: 'sun' | 'load') => job.at(`/flow/${of}`) as Series | undefined
const outages = () => (job.at('/flow/outages') as Outage[] | undefined) ?? []
const STEPS = [1, 5, 10, 15, 30, 60]
const step = ref(60)
const failure = ref('')
const SERIES = [
  ['sun', 'Sun', 'clear sky of the place, with weather'],
  ['load', 'Loads', 'daily energy in the shape of a usual day'],
] as const
function told(s: Series): string {
  const each = s.step_min ?? 60
  const kwh = (s.values_w.reduce((a, b) => a + b, 0) * each) / 60_000
  return `measured: ${s.values_w.length} figures, one each ${each} min${s.start ? `, from ${s.start}` : ''}, ${tidy(kwh, 0)} kWh`
}
async function take(of: 'sun' | 'load', file: File | undefined) {
  if (!file) return
  failure.value = ''
  try {
    job.set(`/flow/${of}`, await api.readSeries(await file.text(), step.value))
  } catch (error) {
    if (!(error instanceof ApiProblem)) throw error
    const p = error.problems[0]
    failure.value = `${file.name}: ${p ? `${p.pointer.replace('/line/', 'line ')} ${p.message}; wanted: ${p.expected}` : error.message}`
  }
}
const addOutage = () =>
  job.set('/flow/outages', [
    ...outages(),
    { date: (job.at('/flow/start') as string) ?? '2025-01-01', from: '18:00', to: '21:00' },
  ])
</script>

<template>
  <FoldPart
    name="windows:basis"
    title="What the simulation rests on"
    says="first day, weather, own load and sun series, outages"
    pointer="/flow"
  >
    <div class="fields">
      <DateField path="/flow/start" />
      <NumberField path="/flow/start_soc" />
      <NumberField path="/flow/cloudiness" />
      <NumberField path="/flow/seed" whole />
    </div>
    <p class="soft small">{{ shown }} is shown.</p>
    <ul class="plainlist">
      <li v-for="[of, name, otherwise] in SERIES" :key="of" :data-series="of" :data-pointer="`/flow/${of}`" tabindex="-1">
        <b>{{ name }}</b> <span v-if="series(of)">{{ told(series(of) as Series) }}</span><span v-else class="soft">{{
          otherwise
        }}</span>
        <FileButton word="Import CSV" :label="`${name} CSV`" accept=".csv,.txt,text/csv" @files="(files) => take(of, files[0])" />
        <button v-if="series(of)" class="plain" @click="job.set(`/flow/${of}`, undefined)">Remove</button>
      </li>
    </ul>
    <p class="soft small">
      A column of watts, one each
      <PickField
        v-model="step"
        class="step"
        label="Step of a column without times"
        :choices="STEPS.map((s) => [s, `${s} min`])"
      />
      from midnight, or two columns: local time and watts.
    </p>
    <p v-if="failure" role="alert" class="bad">{{ failure }}</p>
    <table v-if="outages().length" v-stack>
      <thead>
        <tr>
          <th>Mains away on</th>
          <th>From</th>
          <th>To</th>
          <th></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(_, i) in outages()" :key="i">
          <td><DateField :path="`/flow/outages/${i}/date`" :label="`Outage ${i + 1} date`" bare needed /></td>
          <td><TextField :path="`/flow/outages/${i}/from`" :label="`Outage ${i + 1} from`" bare needed class="time" /></td>
          <td><TextField :path="`/flow/outages/${i}/to`" :label="`Outage ${i + 1} to`" bare needed class="time" /></td>
          <td>
            <button
              class="plain"
              :aria-label="`Remove outage ${i + 1}`"
              @click="
                job.set(
                  '/flow/outages',
                  outages().filter((_o, k) => k !== i),
                )
              "
            >
              Remove
            </button>
          </td>
        </tr>
      </tbody>
    </table>
    <button @click="addOutage">Add an outage</button>
  </FoldPart>
</template>

<style scoped>
.plainlist {
  list-style: none;
  padding: 0;
  margin: 8px 0;
}
.plainlist li {
  display: flex;
  gap: 10px;
  align-items: baseline;
  flex-wrap: wrap;
  padding: 3px 0;
}
.bad {
  color: var(--stop);
}
</style>
