<script setup lang="ts">
// One year is luck. Many weathers of the same year, one field varied: bands, a small picture for each value.
import { computed, ref } from 'vue'
import type { Band, Sweep, SweepPart } from '../../api/client'
import { useWork } from '../../api/use-work'
import { useJob } from '../../job/use-job'
import EmptyNote from '../../ui/EmptyNote.vue'
import PickField from '../../ui/PickField.vue'
import WorkBar from '../../ui/WorkBar.vue'
import { percent, tidy } from '../../ui/figures'

const job = useJob()
const work = useWork<Sweep>(() => job.document.value)
const made = work.result
const FIELDS: (readonly [string, string])[] = [
  ['', 'nothing'],
  ['modules', 'modules of the bank'],
  ['array', 'watts of the array'],
  ['reserve', 'reserve, %'],
  ['amps', 'charge current, A'],
]
const WEATHERS = [20, 60, 200].map((n) => [String(n), `${n} years`] as const)
const field = ref('')
const weathers = ref('60')
const text = ref('')
const EXAMPLES: Record<string, string> = {
  modules: '2, 3, 4',
  array: '4000, 8000, 12000',
  reserve: '10, 20, 40',
  amps: '40, 80, 160',
}
const values = computed(() =>
  text.value
    .split(/[,;\s]+/)
    .map((v) => v.trim())
    .filter(Boolean),
)
const wrong = computed(() => {
  if (!field.value) return ''
  if (!values.value.length) return `Type up to six values, such as ${EXAMPLES[field.value]}.`
  if (values.value.length > 6) return 'At most six values.'
  const bad = values.value.find((v) => !(Number(v) > 0))
  return bad === undefined ? '' : `${bad} is not a number above zero.`
})
const asked = computed(() => values.value.map((v) => (field.value === 'reserve' ? String(Number(v) / 100) : v)))
const begin = () =>
  work.start({
    kind: 'sweep',
    document: job.document.value,
    days: 365,
    weathers: Number(weathers.value),
    vary_field: wrong.value ? '' : field.value,
    vary_values: wrong.value ? [] : asked.value,
  })
const shown = (s: Sweep, p: SweepPart) =>
  !s.field
    ? 'as it is'
    : s.field === 'reserve'
      ? `${tidy(Number(p.value) * 100, 1)} % reserve`
      : `${p.value} ${({ modules: 'modules', array: 'W', amps: 'A' } as Record<string, string>)[s.field] ?? ''}`
const W = 220
const H = 96
const x = (h: number) => 30 + (h / 24) * (W - 38)
const y = (share: number) => 8 + (1 - share) * (H - 24)
const path = (p: SweepPart, key: keyof Band) =>
  p.full_by_hour.map((b, h) => `${h ? 'L' : 'M'}${x(h).toFixed(1)} ${y(b[key]).toFixed(1)}`).join('')
const area = (p: SweepPart) =>
  `${path(p, 'p90')}${[...p.full_by_hour.keys()]
    .reverse()
    .map((h) => `L${x(h).toFixed(1)} ${y((p.full_by_hour[h] as Band).p10).toFixed(1)}`)
    .join('')}Z`
const ROWS: { word: string; unit: string; of: (p: SweepPart) => Band; digits: number }[] = [
  { word: 'Not served', unit: 'kWh', of: (p) => p.unserved_kwh, digits: 1 },
  { word: 'Generator', unit: 'h', of: (p) => p.generator_h, digits: 0 },
  { word: 'From the mains', unit: 'kWh', of: (p) => p.mains_kwh, digits: 0 },
  { word: 'Days that reach full', unit: '', of: (p) => p.full_days, digits: 0 },
  { word: 'Cost', unit: 'money', of: (p) => p.cost, digits: 2 },
]
const rows = computed(() =>
  ROWS.filter((r) => r.word === 'Not served' || (made.value?.parts ?? []).some((p) => r.of(p).p10 !== 0 || r.of(p).p90 !== 0)),
)
const most = (r: (typeof ROWS)[number]) => Math.max(1e-9, ...(made.value?.parts ?? []).map((p) => r.of(p).p90))
const least = (r: (typeof ROWS)[number]) => Math.min(0, ...(made.value?.parts ?? []).map((p) => r.of(p).p10))
const bar = (r: (typeof ROWS)[number], v: number) => 4 + ((v - least(r)) / (most(r) - least(r) || 1)) * (W - 12)
const said = (r: (typeof ROWS)[number], b: Band) =>
  `${tidy(b.p10, r.digits)} – ${tidy(b.p50, r.digits)} – ${tidy(b.p90, r.digits)} ${r.unit === 'money' ? (made.value?.currency ?? '') : r.unit}`.trim()
</script>

<template>
  <p class="soft">One year of weather is luck. Of many: one in ten is worse, one in ten better than the band.</p>
  <div class="ask">
    <label class="values"
      ><span>Weathers</span><PickField v-model="weathers" label="Years of weather" :choices="WEATHERS"
    /></label>
    <label class="values"><span>Vary</span><PickField v-model="field" label="Vary" :choices="FIELDS" /></label>
    <label v-if="field" class="values"
      ><span>Values</span>
      <input
        v-model="text"
        type="text"
        class="text"
        :placeholder="EXAMPLES[field]"
        :aria-invalid="!!wrong"
        aria-describedby="sweep-wrong"
    /></label>
  </div>
  <p v-if="wrong" id="sweep-wrong" role="status" class="caution">{{ wrong }}</p>
  <WorkBar :work="work" :label="made ? 'Run the weathers again' : 'Run the weathers'" @start="begin" />
  <div v-if="made" class="multiples" data-sweep>
    <figure v-for="p in made.parts" :key="p.value" :data-part="p.value">
      <figcaption>{{ shown(made, p) }}</figcaption>
      <svg
        :viewBox="`0 0 ${W} ${H}`"
        role="img"
        :aria-label="`Full by noon on ${percent(p.full_by_hour[12]?.p50 ?? 0)} of days, by six on ${percent(p.full_by_hour[18]?.p50 ?? 0)}; ${percent(p.full_by_hour[24]?.p10 ?? 0)} to ${percent(p.full_by_hour[24]?.p90 ?? 0)} by midnight`"
      >
        <path :d="area(p)" class="band" />
        <path :d="path(p, 'p50')" class="middle" />
        <path :d="`M30 8V${H - 16}H${W - 8}`" class="axis" />
        <text x="0" y="14">100 %</text>
        <text x="10" :y="H - 14">0 %</text>
        <text v-for="h in [6, 12, 18]" :key="h" :x="x(h)" :y="H - 2" text-anchor="middle">{{ h }}</text>
      </svg>
      <p class="small soft">days full by the hour</p>
      <template v-for="r in rows" :key="r.word">
        <svg :viewBox="`0 0 ${W} 12`" aria-hidden="true" class="strip">
          <path :d="`M4 6H${W - 8}`" class="axis" />
          <path :d="`M${bar(r, r.of(p).p10)} 6H${bar(r, r.of(p).p90) + 0.5}`" class="range" />
          <path :d="`M${bar(r, r.of(p).p50)} 1V11`" class="mark" />
        </svg>
        <p class="small figures">
          <span>{{ r.word }}</span> <span>{{ said(r, r.of(p)) }}</span>
        </p>
      </template>
    </figure>
  </div>
  <EmptyNote v-else-if="work.state.value !== 'running'">Nothing run yet: {{ weathers }} years take some seconds.</EmptyNote>
  <p v-for="a in made?.assumed ?? []" :key="a" class="soft small">Assumed: {{ a }}.</p>
</template>

<style scoped>
.ask {
  display: flex;
  gap: 14px;
  flex-wrap: wrap;
  align-items: end;
}
.values {
  display: grid;
  gap: 3px;
}
.values span {
  color: var(--soft);
  font-size: 0.9em;
}
.multiples {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(min(220px, 100%), 1fr));
  gap: 18px;
  max-width: 1000px;
}
figure {
  margin: 0;
  border-top: 2px solid var(--ink);
  padding-top: 4px;
  max-width: 320px;
}
figcaption {
  font-weight: 650;
}
svg {
  display: block;
  width: 100%;
}
text {
  font-size: 10px;
  fill: var(--soft);
}
.band {
  fill: var(--copper);
  opacity: 0.28;
}
.middle {
  fill: none;
  stroke: var(--copper);
  stroke-width: 2;
}
.axis {
  fill: none;
  stroke: var(--rule);
}
.range {
  stroke: var(--copper);
  stroke-width: 6;
  opacity: 0.5;
}
.mark {
  stroke: var(--ink);
  stroke-width: 2;
}
.figures {
  display: flex;
  justify-content: space-between;
  gap: 8px;
  margin: 0 0 4px;
  font-variant-numeric: tabular-nums;
}
.caution {
  color: var(--caution);
}
</style>
