<script setup lang="ts">
// The day: windows to drag, what each unit makes of them, and the simulated day beneath.
import { ElSegmented } from 'element-plus'
import 'element-plus/theme-chalk/el-segmented.css'
import { useQuery } from '@tanstack/vue-query'
import { useElementSize, watchDebounced } from '@vueuse/core'
import { computed, ref, shallowRef, watch } from 'vue'
import { ApiProblem, type Job } from '../../api/client'
import { lastGood } from '../../api/last-good'
import { queries } from '../../api/queries'
import { useJob } from '../../job/use-job'
import EmptyNote from '../../ui/EmptyNote.vue'
import WaitNote from '../../ui/WaitNote.vue'
import DayRibbon from './DayRibbon.vue'
import FlowBasis from './FlowBasis.vue'
import PricesPart from './PricesPart.vue'
import SimulatedDay from './SimulatedDay.vue'
import SlotsPart from './SlotsPart.vue'
import WindowTable from './WindowTable.vue'
import SeasonsPart from './SeasonsPart.vue'
import { covers, firstIn, type Season, type Win } from './ribbon'

const SIMULATE_AFTER_MS = 250
/** A day chosen in the year: shown as it is there, after all the days before it. */
const replay = defineModel<{ date: string; soc: number } | null>('replay', { required: true })
const job = useJob()
const windows = computed(() => (job.at('/windows') as Win[] | undefined) ?? [])
const weekdayOf = (date: string) => (new Date(date + 'T00:00:00Z').getUTCDay() + 6) % 7
const day = ref(replay.value ? weekdayOf(replay.value.date) : 2)
const chosen = ref<number | null>(null)
const box = ref<HTMLElement>()
const size = useElementSize(box)
const width = computed(() => Math.max(340, size.width.value || 720))
const told = computed(() => job.plan.value?.windows)
// Parts of the year in which different windows hold; the one shown is that of the first day until another is picked.
const parts = computed(() => told.value?.units.find((u) => u.year.length)?.year ?? [])
const picked = ref<string | null>(null)
const partOf = computed(() => parts.value.findIndex((p) => covers(p.from_date, p.to_date, (told.value?.date ?? '').slice(5))))
const part = computed(() => {
  const at = parts.value.findIndex((p) => p.from_date === picked.value)
  return at >= 0 ? at : partOf.value
})
const held = computed(() => parts.value[part.value]?.windows)
const units = computed(() =>
  (told.value?.units ?? []).map((u) => {
    const year = u.year[part.value]
    return year ? { ...u, slots: year.slots, differs_minutes: year.differs_minutes, differs_kwh: year.differs_kwh } : u
  }),
)
const seasons = computed(() => (job.at('/seasons') as Season[] | undefined) ?? [])
const prices = computed(() => (part.value === partOf.value ? (told.value?.prices ?? []) : []).filter((p) => p.day === day.value))
const clashes = computed(() => (told.value?.clashes ?? []).filter((c) => c.day === day.value))
function set(index: number, next: Win) {
  job.set(
    '/windows',
    windows.value.map((w, i) => (i === index ? next : w)),
  )
}
const remove = (index: number) => {
  chosen.value = null
  job.drop('/windows', index)
}
const add = () => {
  job.set('/windows', [...windows.value, { from: '09:00', to: '12:00', action: 'hold' }])
  chosen.value = windows.value.length - 1
}

watch(day, (d) => {
  if (replay.value && d !== weekdayOf(replay.value.date)) replay.value = null
})
const firstDay = computed(() => (job.at('/flow/start') as string | undefined) ?? '2025-01-01')
const daysBetween = (a: string, b: string) => Math.max(0, Math.round((Date.parse(b) - Date.parse(a)) / 86_400_000))
const dateOf = computed(() => {
  if (replay.value) return replay.value.date
  const start = new Date(firstIn(firstDay.value, parts.value[part.value]) + 'T00:00:00Z')
  if (Number.isNaN(start.getTime())) return '2025-01-01' // half typed; what is wrong with it stands at its field
  const shift = (day.value - ((start.getUTCDay() + 6) % 7) + 7) % 7
  start.setUTCDate(start.getUTCDate() + shift)
  return start.toISOString().slice(0, 10)
})
const ready = computed(() => !!job.plan.value?.bank && job.plan.value.units.length > 0)

// The simulated day, asked for anew a moment after each plan; the one before stays until it is there.
const asked = shallowRef<{ document: Job; lead: number; turn: number } | null>(null)
watchDebounced(
  [() => job.plan.value, dateOf],
  () => {
    const document = job.planned.value
    if (!document || !ready.value) return
    const lead = replay.value ? daysBetween(firstDay.value, replay.value.date) : 0
    const flow = { ...document.flow, start: lead ? firstDay.value : dateOf.value }
    asked.value = { document: { ...document, flow }, lead, turn: job.turn.value }
  },
  { debounce: SIMULATE_AFTER_MS, immediate: true },
)
const simulated = useQuery(
  computed(() => ({
    ...queries.day(job.id, asked.value?.lead ?? 0, asked.value?.turn ?? 0, asked.value?.document as Job),
    enabled: asked.value !== null,
  })),
)
const sim = lastGood(simulated)
const failure = computed(() => (simulated.error.value instanceof ApiProblem ? simulated.error.value.message : ''))
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
const WORD = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday']
</script>

<template>
  <div ref="box">
    <div class="days">
      <ElSegmented v-model="day" :options="WORD.map((d, i) => ({ value: i, label: d.slice(0, 3) }))" aria-label="Weekday shown" />
      <span class="gap" />
      <button @click="add">Add window</button>
    </div>
    <div v-if="parts.length > 1" class="days" data-parts>
      <span class="soft">From</span>
      <ElSegmented
        :model-value="parts[part]?.from_date"
        :options="parts.map((p) => ({ value: p.from_date, label: p.from_date }))"
        aria-label="Part of the year shown"
        @update:model-value="(v) => (picked = String(v))"
      />
      <span class="soft">until {{ parts[part]?.to_date }}. The sheets are for {{ told?.date }}.</span>
    </div>
    <DayRibbon
      :windows="windows"
      :held="held"
      :day="day"
      :width="width"
      :units="units"
      :prices="prices"
      :clashes="clashes"
      :chosen="chosen"
      @choose="(i) => (chosen = i)"
      @change="set"
      @remove="remove"
    />
    <p v-if="replay" role="status" data-replay>
      {{ WORD[day] }}, {{ replay.date }} as in the year, beginning at {{ Math.round(replay.soc * 100) }} %.
      <button class="link" @click="replay = null">back to the first week</button>
    </p>
    <SimulatedDay v-if="ready && sim?.series" :series="sim.series" :thresholds="thresholds" />
    <WaitNote v-else-if="ready && !failure" class="waiting" word="Simulating the day" :rows="10" />
    <EmptyNote v-else-if="!ready">The simulated day follows once there are a bank, units and thresholds that fit.</EmptyNote>
    <p v-if="failure && ready" role="alert" class="bad">{{ failure }}</p>
    <p v-for="a in sim?.assumed ?? []" :key="a" class="soft small">Assumed: {{ a }}.</p>

    <WindowTable :windows="windows" :seasons="seasons" :chosen="chosen" @choose="(i) => (chosen = i)" @remove="remove">
      <p class="soft small">
        Drag a window or its ends above, or use the arrow keys (Shift: its end, Alt: its start, Delete: away), in steps of 15
        minutes; type here for others.
        <a v-if="windows.length" :href="`/api/jobs/${job.id}/windows.ics`" download>Calendar file</a>
      </p>
    </WindowTable>
    <SlotsPart v-if="units.length" :units="units" />
    <PricesPart />
    <SeasonsPart :seasons="seasons" />
    <FlowBasis :shown="`${WORD[day]}, ${dateOf}`" />
  </div>
</template>

<style scoped>
.days {
  display: flex;
  gap: 6px;
  align-items: center;
  flex-wrap: wrap;
  margin-bottom: 6px;
}
.gap {
  flex: 1;
}
.waiting {
  min-height: 460px;
}
.bad {
  color: var(--stop);
}
</style>
