<script setup lang="ts">
// The simulated year: a calendar of the lowest charge of each day, monthly energy, and what it adds up to.
import { computed, shallowRef, watch } from 'vue'
import type { DayFigures, Simulation } from '../api/client'
import { tidy } from '../ui/figures'
import { useJob } from '../workspace/use-job'
import LedgerTable from './LedgerTable.vue'
import RunBar from './RunBar.vue'
import { useRun } from './use-run'

const job = useJob()
const run = useRun<Simulation>(() => job.document.value)
const emit = defineEmits<{ day: [date: string, soc: number] }>()
const year = run.result
const chosen = shallowRef<DayFigures | null>(null)
const begin = () => run.start({ kind: 'year', document: job.document.value, days: 365 })
const cells = computed(() => {
  const days = year.value?.daily ?? []
  if (!days.length) return []
  const first = (new Date(days[0]?.date + 'T00:00:00Z').getUTCDay() + 6) % 7
  return days.map((d, i) => ({ d, col: Math.floor((i + first) / 7), row: (i + first) % 7 }))
})
const WALK: Record<string, number> = { ArrowLeft: -7, ArrowRight: 7, ArrowUp: -1, ArrowDown: 1, Home: -1e6, End: 1e6 }
function walk(event: KeyboardEvent) {
  const days = year.value?.daily ?? []
  if (event.key === 'Enter' && chosen.value) emit('day', chosen.value.date, chosen.value.start_soc)
  const by = WALK[event.key]
  if (by === undefined || !days.length) return
  event.preventDefault()
  const at = days.findIndex((d) => d === chosen.value)
  chosen.value = days[Math.max(0, Math.min(days.length - 1, at + by))] ?? null
}
watch(year, () => (chosen.value = null))
const SHADES = [0.1, 0.2, 0.35, 0.5, 0.7, 0.9]
const shade = (s: number) => SHADES.filter((b) => s >= b).length
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
const most = computed(() => Math.max(1, ...months.value.map((m) => Math.max(m.sun + m.mains + m.generator, m.load))))
const NAMES = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec']
const words = (d: DayFigures) =>
  `${d.date}: lowest ${tidy(d.lowest_soc * 100, 0)} %, sun ${tidy(d.sun_kwh, 1)} kWh, mains ${tidy(d.mains_kwh, 1)} kWh, generator ${tidy(d.generator_h, 1)} h, ${d.full ? 'full' : 'not full'}, ${d.transfers} transfers at night`
</script>

<template>
  <RunBar
    :state="run.state.value"
    :word="run.word.value"
    :share="run.share.value"
    :failure="run.failure.value"
    :stale="run.stale.value"
    :label="year ? 'Run the year again' : 'Run the year'"
    @start="begin"
    @cancel="run.cancel"
  />
  <template v-if="year">
    <h2>Lowest charge of each day</h2>
    <svg viewBox="0 0 760 118" class="calendar" role="group" aria-label="Calendar of the lowest charge of each day" data-calendar>
      <text v-for="(n, i) in ['Mon', 'Wed', 'Fri', 'Sun']" :key="n" x="0" :y="14 + i * 28" class="small-text">{{ n }}</text>
      <g
        role="listbox"
        tabindex="0"
        aria-label="Days; arrow keys go by day and week"
        :aria-activedescendant="chosen ? 'day-' + chosen.date : undefined"
        @keydown="walk"
        @focus="chosen ??= year.daily[0] ?? null"
      >
        <rect
          v-for="c in cells"
          :id="'day-' + c.d.date"
          :key="c.d.date"
          :x="34 + c.col * 13.5"
          :y="4 + c.row * 14"
          width="12"
          height="12.5"
          role="option"
          :aria-selected="chosen === c.d"
          :aria-label="words(c.d)"
          :class="['cell', 's' + shade(c.d.lowest_soc), { lost: c.d.unserved_kwh > 0.01, chosen: chosen === c.d }]"
          @click="chosen = c.d"
        >
          <title>{{ words(c.d) }}</title>
        </rect>
      </g>
      <template v-for="c in cells" :key="'m' + c.d.date">
        <text v-if="c.d.date.endsWith('-01')" :x="34 + c.col * 13.5" y="114" class="small-text">
          {{ NAMES[Number(c.d.date.slice(5, 7)) - 1] }}
        </text>
      </template>
    </svg>
    <p class="small">
      <span class="key">below 10 %</span
      ><svg v-for="i in [0, 1, 2, 3, 4, 5, 6]" :key="i" width="16" height="12" aria-hidden="true">
        <rect width="15" height="12" :class="['cell', 's' + i]" />
      </svg>
      <span class="key">above 90 %</span> framed: load not served
    </p>
    <p v-if="chosen" data-day aria-live="polite">
      {{ words(chosen) }}. <button class="link" @click="emit('day', chosen.date, chosen.start_soc)">show this day</button>
    </p>
    <h2>Energy by month</h2>
    <svg
      viewBox="0 0 760 150"
      class="calendar"
      role="img"
      :aria-label="`Energy by month: ${months.map((m) => `${m.month} sun ${tidy(m.sun, 0)}, mains ${tidy(m.mains, 0)}, generator ${tidy(m.generator, 0)} kWh`).join('; ')}`"
    >
      <g v-for="(m, i) in months" :key="m.month" :transform="`translate(${40 + (i * 716) / months.length} 0)`">
        <rect x="0" :y="124 - (110 * m.sun) / most" width="38" :height="(110 * m.sun) / most" fill="var(--sun)" />
        <rect x="0" :y="124 - (110 * (m.sun + m.mains)) / most" width="38" :height="(110 * m.mains) / most" fill="var(--mains)" />
        <rect
          x="0"
          :y="124 - (110 * (m.sun + m.mains + m.generator)) / most"
          width="38"
          :height="(110 * m.generator) / most"
          fill="var(--gen)"
        />
        <path :d="`M-3 ${124 - (110 * m.load) / most}h44`" class="need" />
        <text x="19" y="140" text-anchor="middle" class="small-text">{{ NAMES[Number(m.month.slice(5)) - 1] }}</text>
      </g>
      <text x="0" y="14" class="small-text">{{ tidy(most, 0) }}</text>
      <text x="0" y="28" class="small-text">kWh</text>
    </svg>
    <p class="small soft keys">
      <span
        v-for="[word, tone] in (
          [
            ['sun used', 'sun'],
            ['mains', 'mains'],
            ['generator', 'gen'],
          ] as const
        ).filter(([, tone]) => tone === 'sun' || months.some((m) => (tone === 'gen' ? m.generator : m.mains) > 0))"
        :key="word"
        ><svg width="14" height="10" aria-hidden="true"><rect width="14" height="10" :fill="`var(--${tone})`" /></svg>
        {{ word }}</span
      >
      <span
        ><svg width="16" height="10" aria-hidden="true"><path d="M0 5h16" class="need" /></svg> what the loads took</span
      >
    </p>
    <LedgerTable :names="['the year']" :ledgers="[year.ledger]" />
    <p v-for="a in year.assumed" :key="a" class="soft small">Assumed: {{ a }}.</p>
  </template>
  <p v-else-if="run.state.value !== 'running'" class="soft">
    525,600 minutes with this plan's thresholds, sun from the site's sky and seeded weather.
  </p>
</template>

<style scoped>
.keys span {
  margin-right: 14px;
  white-space: nowrap;
}
.calendar {
  width: 100%;
  max-width: 780px;
  display: block;
}
.cell {
  stroke: none;
  cursor: pointer;
}
.s0 {
  fill: var(--stop);
}
.s1 {
  fill: var(--gen);
}
.s2 {
  fill: color-mix(in srgb, var(--bank) 18%, var(--sheet));
}
.s3 {
  fill: color-mix(in srgb, var(--bank) 34%, var(--sheet));
}
.s4 {
  fill: color-mix(in srgb, var(--bank) 52%, var(--sheet));
}
.s5 {
  fill: color-mix(in srgb, var(--bank) 74%, var(--sheet));
}
.s6 {
  fill: var(--bank);
}
[role='listbox']:focus {
  outline: none;
}
[role='listbox']:focus-visible .chosen {
  stroke: var(--focus);
  stroke-width: 3;
}
.chosen {
  stroke: var(--copper);
  stroke-width: 2.4;
}
.lost {
  stroke: var(--ink);
  stroke-width: 1.6;
}
.need {
  stroke: var(--ink);
  stroke-width: 2;
}
.small-text {
  font-size: 12px;
  fill: var(--soft);
}
.key {
  margin: 0 6px;
}
</style>
