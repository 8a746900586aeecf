<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue'
import { api, ApiProblem, type Advice, type Comparison, type Simulation } from '../api/client'
import NumberField from '../ui/NumberField.vue'
import TextField from '../ui/TextField.vue'
import { useJob } from '../workspace/use-job'
import DayRibbon from './DayRibbon.vue'
import FlowBasis from './FlowBasis.vue'
import LedgerTable from './LedgerTable.vue'
import RunBar from './RunBar.vue'
import SimulatedDay from './SimulatedDay.vue'
import YearView from './YearView.vue'
import { DAYS, minutes, onDay, type Win } from './ribbon'
import { useRun } from './use-run'

const job = useJob()
const windows = computed(() => (job.at('/windows') as Win[] | undefined) ?? [])
const day = ref(2)
const chosen = ref<number | null>(null)
const tab = ref<'day' | 'year' | 'compare'>('day')
watch(job.aim, (pointer) => /^\/(windows|tariff|flow)/.test(pointer) && (tab.value = 'day'))
const box = ref<HTMLElement>()
const width = ref(720)
let watcher: ResizeObserver | null = null
onMounted(() => {
  watcher = new ResizeObserver(([e]) => e && (width.value = Math.max(340, e.contentRect.width)))
  if (box.value) watcher.observe(box.value)
})
onBeforeUnmount(() => watcher?.disconnect())

interface Price {
  days?: string
  from: string
  to: string
  price: number
}
const tariff = computed(() => job.at('/tariff') as { base: number; prices?: Price[] } | undefined)
const prices = computed(() => {
  if (!tariff.value) return []
  const out = new Array<number>(1440).fill(tariff.value.base)
  for (const p of [...(tariff.value.prices ?? [])].reverse()) {
    if (!onDay(p.days, day.value)) continue
    const a = minutes(p.from)
    const b = minutes(p.to)
    for (let m = 0; m < 1440; m++) if (a < b ? m >= a && m < b : m >= a || m < b) out[m] = p.price
  }
  return out
})
function set(index: number, next: Win) {
  job.set(
    '/windows',
    windows.value.map((w, i) => (i === index ? next : w)),
  )
}
const remove = (index: number) => {
  chosen.value = null
  job.set(
    '/windows',
    windows.value.filter((_, i) => i !== index),
  )
}
const add = () => {
  job.set('/windows', [...windows.value, { from: '09:00', to: '12:00', action: 'hold' }])
  chosen.value = windows.value.length - 1
}
const units = computed(() => job.plan.value?.windows.units ?? [])

// The simulated day, asked for anew after each plan; stale answers are dropped.
const sim = shallowRef<Simulation | null>(null)
const failure = ref('')
let abort: AbortController | null = null
let timer = 0
// A day chosen in the year: shown as it is there, after all the days before it.
const replay = ref<{ date: string; soc: number } | null>(null)
watch(day, (d) => {
  if (replay.value && d !== weekdayOf(replay.value.date)) replay.value = null
})
const firstDay = computed(() => (job.at('/flow/start') as string | undefined) ?? '2025-01-01')
const daysBetween = (a: string, b: string) => Math.max(0, Math.round((Date.parse(b) - Date.parse(a)) / 86_400_000))
const dateOf = computed(() => {
  if (replay.value) return replay.value.date
  const start = new Date(firstDay.value + 'T00:00:00Z')
  if (Number.isNaN(start.getTime())) return '2025-01-01' // half typed; what is wrong with it stands at its field
  const shift = (day.value - ((start.getUTCDay() + 6) % 7) + 7) % 7
  start.setUTCDate(start.getUTCDate() + shift)
  return start.toISOString().slice(0, 10)
})
const ready = computed(() => !!job.plan.value?.bank && job.plan.value.units.length > 0)
async function simulate() {
  abort?.abort()
  const mine = (abort = new AbortController())
  if (!job.document.value || !ready.value) return
  try {
    const lead = replay.value ? daysBetween(firstDay.value, replay.value.date) : 0
    const flow = { ...(job.document.value.flow ?? {}), start: lead ? firstDay.value : dateOf.value }
    const made = await api.simulate({ ...job.document.value, flow } as typeof job.document.value, lead, mine.signal)
    if (mine === abort) {
      sim.value = made
      failure.value = ''
    }
  } catch (error) {
    if (mine === abort && error instanceof ApiProblem) failure.value = error.message
  }
}
watch(
  [() => job.plan.value, dateOf],
  () => {
    window.clearTimeout(timer)
    timer = window.setTimeout(simulate, 250)
  },
  { immediate: true },
)
onBeforeUnmount(() => {
  abort?.abort()
  window.clearTimeout(timer)
})
const thresholds = computed(() =>
  [
    ['absorb_v', 'copper'],
    ['shutdown_v', 'stop'],
    ['to_mains_v', 'mains'],
  ].flatMap(([name, tone]) => {
    const r = job.plan.value?.ladder[name as string]
    return r ? [{ word: r.word, v: r.value, tone: `var(--${tone})` }] : []
  }),
)
const weekdayOf = (date: string) => (new Date(date + 'T00:00:00Z').getUTCDay() + 6) % 7
function showDay(date: string, soc: number) {
  replay.value = { date, soc }
  day.value = weekdayOf(date)
  tab.value = 'day'
}
const advice = useRun<Advice>(() => job.document.value)
const compare = useRun<Comparison>(() => job.document.value)
const noted = computed(() => Object.keys((job.at('/as_found') as object | undefined) ?? {}).length > 0)
function startCompare() {
  const before = job.before()
  void compare.start({ kind: 'compare', document: job.document.value, other: before ?? undefined, days: 365 })
}
const takeAdvice = () =>
  advice.result.value &&
  job.set(
    '/windows',
    advice.result.value.windows.map((w) => w.window),
  )
const ACTIONS: [string, string][] = [
  ['charge', 'charge from mains'],
  ['hold', 'hold'],
  ['use', 'use the bank'],
  ['export', 'export'],
]
const WORD = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday']
</script>

<template>
  <h1>Windows</h1>
  <p class="lede">
    When the bank is charged from the mains, held, or used; what each unit's own slots make of it; and the day it gives.
  </p>
  <div role="tablist" aria-label="Views of the windows" class="tablist">
    <button
      v-for="[t, w] in [
        ['day', 'Day'],
        ['year', 'Year'],
        ['compare', 'Compare'],
      ] as const"
      :key="t"
      role="tab"
      :aria-selected="tab === t"
      class="plain"
      @click="tab = t"
    >
      {{ w }}
    </button>
  </div>
  <div ref="box">
    <template v-if="tab === 'day'">
      <div class="days" role="radiogroup" aria-label="Weekday shown">
        <label v-for="(d, i) in DAYS" :key="d" :class="{ on: i === day }"
          ><input v-model="day" type="radio" name="weekday" :value="i" />{{ d }}</label
        >
        <span class="gap" />
        <button @click="add">Add window</button>
        <a v-if="windows.length" class="button" :href="`/api/jobs/${job.id}/windows.ics`" download>Calendar file</a>
      </div>
      <DayRibbon
        :windows="windows"
        :day="day"
        :width="width"
        :units="units"
        :prices="prices"
        :chosen="chosen"
        @choose="(i) => (chosen = i)"
        @change="set"
        @remove="remove"
      />
      <p class="soft small">
        Drag a window or its ends, or use the arrow keys (Shift: its end, Alt: its start, Delete: away). Steps of 15 minutes; type
        for others.
      </p>
      <p v-if="replay" role="status" data-replay>
        {{ WORD[day] }}, {{ replay.date }} as in the year, beginning at {{ Math.round(replay.soc * 100) }} %.
        <button class="link" @click="replay = null">back to the first week</button>
      </p>
      <SimulatedDay v-if="ready && sim?.series" :series="sim.series" :width="width" :thresholds="thresholds" />
      <p v-else-if="ready && !failure" class="soft waiting" aria-busy="true">Simulating the day</p>
      <p v-else-if="!ready" class="empty">The simulated day follows once there are a bank, units and thresholds that fit.</p>
      <p v-if="failure && ready" role="alert" class="bad">{{ failure }}</p>
      <p v-for="a in sim?.assumed ?? []" :key="a" class="soft small">Assumed: {{ a }}.</p>

      <fieldset data-pointer="/windows" tabindex="-1" class="list">
        <legend>Windows</legend>
        <p v-if="!windows.length" class="empty">No window yet: the units do what their source order says, all day.</p>
        <table v-else>
          <thead>
            <tr>
              <th class="num">No</th>
              <th>From</th>
              <th>To</th>
              <th>Days</th>
              <th>Do</th>
              <th>Target</th>
              <th>Power</th>
              <th></th>
            </tr>
          </thead>
          <tbody>
            <tr
              v-for="(w, i) in windows"
              :key="i"
              :data-pointer="`/windows/${i}`"
              tabindex="-1"
              :class="{ chosen: chosen === i }"
              @focusin="chosen = i"
            >
              <td class="num">{{ i + 1 }}</td>
              <td><TextField :path="`/windows/${i}/from`" :label="`Window ${i + 1} from`" bare needed class="time" /></td>
              <td><TextField :path="`/windows/${i}/to`" :label="`Window ${i + 1} to`" bare needed class="time" /></td>
              <td>
                <TextField :path="`/windows/${i}/days`" :label="`Window ${i + 1} days`" bare placeholder="all" class="daytext" />
              </td>
              <td>
                <select
                  :aria-label="`Window ${i + 1} action`"
                  :value="w.action"
                  @change="set(i, { ...w, action: ($event.target as HTMLSelectElement).value })"
                >
                  <option v-for="[a, word] in ACTIONS" :key="a" :value="a">{{ word }}</option>
                </select>
              </td>
              <td>
                <NumberField
                  v-if="w.action !== 'hold'"
                  :path="`/windows/${i}/target_soc`"
                  :label="`Window ${i + 1} target`"
                  unit="%"
                  :scale="100"
                  bare
                />
              </td>
              <td>
                <NumberField
                  v-if="w.action !== 'hold'"
                  :path="`/windows/${i}/power_w`"
                  :label="`Window ${i + 1} power`"
                  unit="W"
                  bare
                />
              </td>
              <td><button class="plain" :aria-label="`Remove window ${i + 1}`" @click="remove(i)">Remove</button></td>
            </tr>
          </tbody>
        </table>
      </fieldset>
      <fieldset v-if="units.length">
        <legend>Slots of the units</legend>
        <div v-for="u in units" :key="u.unit" class="slots" :data-slots="u.unit">
          <b>{{ u.unit }}</b>
          <span v-for="(s, k) in u.slots" :key="k" class="slot">
            {{ s.kind === 'slot' ? k + 1 : s.kind }} {{ s.start }}–{{ s.end
            }}<template v-if="s.kind === 'slot'">
              {{ s.charge_allowed ? 'charge' : s.holds ? 'hold' : s.free ? 'free' : s.exports ? 'export' : 'use' }}</template
            ><template v-if="s.target_soc !== null"> to {{ Math.round((s.target_soc ?? 0) * 100) }} %</template
            ><template v-if="s.power_w !== null"> {{ s.power_w }} W</template
            ><span v-if="s.note" class="soft"> ({{ s.note }})</span>
          </span>
          <span :class="u.differs_minutes ? 'caution-line' : 'soft'">{{
            u.differs_minutes ? `differs ${u.differs_minutes} min a week, ${u.differs_kwh} kWh` : 'says exactly what is wanted'
          }}</span>
        </div>
        <p class="soft small">Set the unit's clock and time zone first; it is checked in the run.</p>
      </fieldset>
      <fieldset data-pointer="/tariff">
        <legend>Prices</legend>
        <template v-if="tariff">
          <div class="fields">
            <NumberField path="/tariff/base" label="Base, a kWh" />
            <NumberField path="/tariff/export" label="Export, a kWh" placeholder="0" />
            <NumberField path="/tariff/demand_per_kw" label="Demand, a kW and month" placeholder="0" />
            <TextField path="/tariff/currency" label="Currency" />
          </div>
          <table v-if="tariff.prices?.length" class="prices">
            <thead>
              <tr>
                <th>From</th>
                <th>To</th>
                <th>Days</th>
                <th>Bought</th>
                <th>Sold</th>
                <th></th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="(_, i) in tariff.prices ?? []" :key="i">
                <td><TextField :path="`/tariff/prices/${i}/from`" :label="`Price ${i + 1} from`" bare needed class="time" /></td>
                <td><TextField :path="`/tariff/prices/${i}/to`" :label="`Price ${i + 1} to`" bare needed class="time" /></td>
                <td>
                  <TextField
                    :path="`/tariff/prices/${i}/days`"
                    :label="`Price ${i + 1} days`"
                    bare
                    placeholder="all"
                    class="daytext"
                  />
                </td>
                <td><NumberField :path="`/tariff/prices/${i}/price`" :label="`Price ${i + 1}`" bare /></td>
                <td>
                  <NumberField
                    :path="`/tariff/prices/${i}/export`"
                    :label="`Price ${i + 1}, sold`"
                    bare
                    :placeholder="String((job.at('/tariff/export') as number | undefined) ?? 0)"
                  />
                </td>
                <td>
                  <button
                    class="plain"
                    :aria-label="`Remove price ${i + 1}`"
                    @click="
                      job.set(
                        '/tariff/prices',
                        (tariff.prices ?? []).filter((_, k) => k !== i),
                      )
                    "
                  >
                    Remove
                  </button>
                </td>
              </tr>
            </tbody>
          </table>
          <p>
            <button
              @click="job.set('/tariff/prices', [...(tariff.prices ?? []), { from: '17:00', to: '20:00', price: tariff.base }])"
            >
              Add a price
            </button>
            <button class="plain" @click="job.set('/tariff', undefined)">No prices</button>
          </p>
          <RunBar
            :state="advice.state.value"
            :word="advice.word.value"
            :share="advice.share.value"
            :failure="advice.failure.value"
            :stale="advice.stale.value"
            label="Find the best windows"
            @start="advice.start({ kind: 'advice', document: job.document.value })"
            @cancel="advice.cancel"
          />
          <div v-if="advice.result.value && advice.state.value === 'done'" data-advice>
            <p>
              <b>{{ advice.result.value.words }}</b>
            </p>
            <ul>
              <li v-for="w in advice.result.value.windows" :key="w.words">{{ w.words }}</li>
            </ul>
            <p class="soft small">
              Without windows {{ advice.result.value.cost_without }}, with them {{ advice.result.value.cost_with }}, with perfect
              foresight {{ advice.result.value.cost_optimum }} {{ advice.result.value.currency }} in
              {{ advice.result.value.days }} days.
            </p>
            <button v-if="advice.result.value.windows.length" @click="takeAdvice">Take these windows</button>
          </div>
        </template>
        <button v-else @click="job.set('/tariff', { base: 0.3, prices: [{ from: '23:00', to: '06:00', price: 0.15 }] })">
          Add prices
        </button>
      </fieldset>
      <FlowBasis :shown="`${WORD[day]}, ${dateOf}`" />
    </template>
    <KeepAlive><YearView v-if="tab === 'year'" @day="showDay" /></KeepAlive>
    <template v-if="tab === 'compare'">
      <p class="soft">
        {{
          job.whatIf.value
            ? 'The what-if beside the job as it was before it.'
            : noted
              ? 'The plan beside the units as found.'
              : 'Note what units show, or begin a what-if: then there are two to compare.'
        }}
      </p>
      <RunBar
        v-if="job.whatIf.value || noted"
        :state="compare.state.value"
        :word="compare.word.value"
        :share="compare.share.value"
        :failure="compare.failure.value"
        :stale="compare.stale.value"
        label="Compare over a year"
        @start="startCompare"
        @cancel="compare.cancel"
      />
      <LedgerTable
        v-if="compare.result.value"
        :names="compare.result.value.names.map((n) => (n === 'other' ? 'before' : n))"
        :ledgers="compare.result.value.ledgers"
      />
    </template>
  </div>
</template>

<style scoped>
.tablist {
  display: flex;
  gap: 6px;
  border-bottom: 1px solid var(--rule);
  margin-bottom: 8px;
}
.tablist button {
  border-bottom: 3px solid transparent;
  border-radius: 0;
}
.tablist [aria-selected='true'] {
  border-bottom-color: var(--copper);
  font-weight: 650;
}
.days {
  display: flex;
  gap: 2px;
  align-items: center;
  flex-wrap: wrap;
  margin-bottom: 4px;
}
.days label {
  padding: 0 10px;
  min-height: 40px;
  display: inline-flex;
  align-items: center;
  border: 1px solid var(--rule);
  cursor: pointer;
}
.days label.on {
  background: var(--ink);
  color: var(--sheet);
}
.days label:focus-within {
  outline: 2.5px solid var(--focus);
}
.days input {
  position: absolute;
  opacity: 0;
  width: 1px;
  min-height: 1px;
}
.gap {
  flex: 1;
}
.time :deep(input) {
  width: 76px;
}
.daytext :deep(input) {
  width: 92px;
}
.waiting {
  min-height: 460px;
  padding-top: 8px;
}
.prices {
  width: auto;
}
.prices td,
.prices th {
  padding-left: 0;
}
.list {
  margin-top: 18px;
}
.list td,
.list th {
  padding-left: 0;
  padding-right: 6px;
}
.list :deep(.box input) {
  width: 58px;
}
.list td:last-child button {
  padding: 0 4px;
}
tr.chosen td {
  background: var(--copper-wash);
}
.slots {
  padding: 6px 0;
  border-bottom: 1px solid var(--faint);
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
}
.slot {
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 1px 8px;
}
.caution-line {
  color: var(--caution);
}
.bad {
  color: var(--stop);
}
.empty {
  border: 1px dashed var(--rule);
  padding: 16px;
}
</style>
