<script setup lang="ts">
// The simulated year: the lowest charge of each day, a row a month; energy by month; and what it adds up to.
import { computed, shallowRef, watch } from 'vue'
import type { DayFigures, Simulation } from '../../api/client'
import FoldPart from '../../ui/FoldPart.vue'
import { shownDate } from '../../ui/prefs'
import { tidy } from '../../ui/figures'
import { useJob } from '../../job/use-job'
import LedgerTable from './LedgerTable.vue'
import ManyWeathers from './ManyWeathers.vue'
import MonthBars from './MonthBars.vue'
import YearDays from './YearDays.vue'
import WorkBar from '../../ui/WorkBar.vue'
import { useWork } from '../../api/use-work'

const job = useJob()
const run = useWork<Simulation>(() => job.document.value)
const emit = defineEmits<{ day: [date: string, soc: number] }>()
const year = run.result
const chosen = shallowRef<DayFigures | null>(null)
const begin = () => run.start({ kind: 'year', document: job.document.value, days: 365 })
const days = computed(() => year.value?.daily ?? [])
const WALK: Record<string, number> = { ArrowLeft: -1, ArrowRight: 1, ArrowUp: -31, ArrowDown: 31, Home: -1e6, End: 1e6 }
// By keys one begins at the first day; a finger or a mouse picks its own.
function entered(event: FocusEvent) {
  if ((event.target as HTMLElement).matches(':focus-visible')) chosen.value ??= days.value[0] ?? null
}
function walk(event: KeyboardEvent) {
  if (event.key === 'Enter' && chosen.value) emit('day', chosen.value.date, chosen.value.start_soc)
  const by = WALK[event.key]
  if (by === undefined || !days.value.length) return
  event.preventDefault()
  const at = days.value.findIndex((d) => d === chosen.value)
  chosen.value = days.value[Math.max(0, Math.min(days.value.length - 1, Math.max(at, 0) + by))] ?? null
}
/** The option of the list: the chosen day, the first until one is. */
const heard = computed(() => chosen.value ?? days.value[0])
watch(year, () => (chosen.value = null))
// The year takes a moment: whoever opens this view has asked for it.
watch(
  () => !!job.document.value && !job.loading.value,
  (there) => there && !year.value && run.state.value !== 'running' && void begin(),
  { immediate: true },
)
/** What matters of the year, in a sentence and a line. */
const answer = computed(() => {
  const l = year.value?.ledger
  if (!l || !days.value.length) return ''
  const lowest = days.value.reduce((a, b) => (b.lowest_soc < a.lowest_soc ? b : a))
  return `Lowest charge ${tidy(l.lowest_soc * 100, 0)} % on ${shownDate(lowest.date)}; full on ${l.full_days} of ${l.days} days.`
})
const besides = computed(() => {
  const l = year.value?.ledger
  if (!l) return ''
  return [
    l.unserved_kwh > 0.05 ? `${tidy(l.unserved_kwh, 1)} kWh not served` : 'All loads served',
    l.generator_h > 0 ? `generator ${tidy(l.generator_h, 0)} h in ${l.generator_starts} starts` : '',
    l.currency ? `cost ${tidy(l.cost, 0)} ${l.currency}` : '',
  ]
    .filter(Boolean)
    .join(', ')
})
const months = computed(() => {
  const out = new Map<string, { sun: number; mains: number; generator: number; load: number }>()
  for (const d of year.value?.daily ?? []) {
    const key = d.date.slice(0, 7)
    const m = out.get(key) ?? { sun: 0, mains: 0, generator: 0, load: 0 }
    m.sun += d.sun_kwh - d.curtailed_kwh
    m.mains += d.mains_kwh
    m.generator += d.generator_kwh
    m.load += d.load_kwh
    out.set(key, m)
  }
  return [...out].map(([month, v]) => ({ month, ...v }))
})
const words = (d: DayFigures) =>
  `${d.date}: lowest ${tidy(d.lowest_soc * 100, 0)} %, sun ${tidy(d.sun_kwh, 1)} kWh, ${d.mains_kwh ? `mains ${tidy(d.mains_kwh, 1)} kWh, ` : ''}${d.generator_h ? `generator ${tidy(d.generator_h, 1)} h, ` : ''}${d.full ? 'full' : 'not full'}, ${d.transfers} transfers at night`
</script>

<template>
  <template v-if="year">
    <p class="year-answer" data-year-answer>{{ answer }}</p>
    <p class="soft besides">{{ besides }}.</p>
    <div
      role="listbox"
      tabindex="0"
      class="days"
      aria-label="Days of the year; left and right by day, up and down by month"
      :aria-activedescendant="chosen ? 'day-' + chosen.date : undefined"
      :data-calendar="days.length"
      @keydown="walk"
      @focus="entered"
    >
      <div aria-hidden="true"><YearDays :days="days" :chosen="chosen" :words="words" @choose="(d) => (chosen = d)" /></div>
      <span v-if="heard" :id="'day-' + heard.date" role="option" :aria-selected="!!chosen" class="visually-hidden">{{
        words(heard)
      }}</span>
    </div>
    <p v-if="chosen" data-day aria-live="polite">
      {{ words(chosen) }}. <button class="link" @click="emit('day', chosen.date, chosen.start_soc)">show this day</button>
    </p>
    <FoldPart name="windows:months" title="Energy by month" says="kWh from each source">
      <MonthBars :months="months" />
    </FoldPart>
    <FoldPart name="windows:ledger" title="All figures of the year" says="energy, hours, transfers, cost">
      <LedgerTable :names="['the year']" :ledgers="[year.ledger]" />
    </FoldPart>
    <p v-for="a in year.assumed" :key="a" class="soft small">Assumed: {{ a }}.</p>
  </template>
  <WorkBar :work="run" :label="year ? 'Run the year again' : 'Run the year'" @start="begin" />
  <FoldPart v-if="year" name="windows:weathers" title="Many weathers" says="how much of it was luck">
    <ManyWeathers />
  </FoldPart>
</template>

<style scoped>
.days {
  outline-offset: 2px;
}
.year-answer {
  font-size: 19px;
  font-weight: 650;
}
.besides {
  margin-bottom: 12px;
}
</style>
