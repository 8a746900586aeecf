<script setup lang="ts">
// The simulated day under the ribbon: stacked power, charge, volts with thresholds, transfers; a scrubber tells why at each minute.
import { computed, ref } from 'vue'
import type { FlowSeries } from '../../api/client'
import { tidy } from '../../ui/figures'
import { clock, line, stack } from './ribbon'

const props = defineProps<{ series: FlowSeries; width: number; thresholds: { word: string; v: number; tone: string }[] }>()
const LEFT = 64
const inner = computed(() => Math.max(260, props.width - LEFT - 8))
const at = ref(720)
const c = (name: string) => props.series.columns[name] ?? []
const add = (...names: string[]) => c(names[0] as string).map((_, i) => names.reduce((s, n) => s + (c(n)[i] ?? 0), 0))
const running = (i: number) => (c('generator')[i] ?? 0) > 0
const fromAc = () => add('mains_load_w', 'mains_other_w')
const LAYERS: [string, string, () => number[]][] = [
  ['sun to loads', 'sun', () => add('sun_load_w', 'sun_other_w')],
  ['sun on the output side to loads', 'copper', () => add('output_load_w', 'output_other_w')],
  ['bank to loads', 'bank', () => add('bank_load_w', 'bank_other_w')],
  ['mains to loads', 'mains', () => fromAc().map((w, i) => (running(i) ? 0 : w))],
  ['generator to loads', 'gen', () => fromAc().map((w, i) => (running(i) ? w : 0))],
  ['not served', 'stop', () => c('unserved_w')],
  ['sold', 'load', () => add('sun_grid_w', 'bank_grid_w', 'output_grid_w')],
]
const layers = computed(() => LAYERS.map(([word, tone, f]) => ({ word, tone: `var(--${tone})`, values: f() })))
const shown = computed(() => layers.value.filter((l) => l.values.some((w) => w > 0)))
const charging = computed(() => add('sun_bank_w', 'mains_bank_w', 'output_bank_w'))
const most = computed(() => {
  const sums = (layers.value[0]?.values ?? []).map((_, i) => layers.value.reduce((s, l) => s + (l.values[i] ?? 0), 0))
  return Math.max(500, ...sums, ...charging.value)
})
const H = 150
const yP = (w: number) => 8 + H - (H * w) / most.value
const areas = computed(() =>
  stack(
    layers.value.map((l) => l.values),
    inner.value,
    yP,
  ),
)
const chargeLine = computed(() => line(charging.value, inner.value, yP))
const S0 = H + 34
const yS = (s: number) => S0 + 70 - 70 * s
const socLine = computed(() => line(c('soc'), inner.value, yS))
const V0 = S0 + 98
const volts = computed(() => c('volts'))
const vLow = computed(() => Math.min(...volts.value, ...props.thresholds.map((t) => t.v)) - 0.3)
const vHigh = computed(() => Math.max(...volts.value, ...props.thresholds.map((t) => t.v)) + 0.3)
const yV = (v: number) => V0 + 90 - (90 * (v - vLow.value)) / (vHigh.value - vLow.value)
const voltLine = computed(() => line(volts.value, inner.value, yV))
const flips = computed(() => {
  const m = c('on_mains')
  return m.flatMap((v, i) =>
    i > 0 && v !== m[i - 1] ? [{ i, to: v ? (running(i) ? 'to the generator' : 'to the mains') : 'back to the bank' }] : [],
  )
})
const n = computed(() => props.series.minute.length)
const x = (i: number) => (i / n.value) * inner.value
const now = computed(() => Math.min(n.value - 1, at.value))
const told = computed(() => props.series.reasons[props.series.reason[now.value] ?? 0] ?? '')
const value = (name: string) => c(name)[now.value] ?? 0
const sold = computed(() => value('sun_grid_w') + value('bank_grid_w') + value('output_grid_w'))
const height = V0 + 110
function scrub(event: PointerEvent) {
  if (event.buttons === 0 && event.type !== 'pointerdown') return
  const box = (event.currentTarget as SVGElement).getBoundingClientRect()
  const scale = box.width / props.width
  at.value = Math.round(Math.max(0, Math.min(n.value - 1, (((event.clientX - box.left) / scale - LEFT) / inner.value) * n.value)))
}
</script>

<template>
  <div>
    <p class="told" aria-live="polite" data-reason>
      <b>{{ clock(series.minute[now] ?? 0) }}</b> {{ told }}.
      <span class="soft">
        {{ tidy(value('soc') * 100, 1) }} %, {{ tidy(value('volts'), 2) }} V, {{ tidy(value('amps'), 0) }} A · load
        {{ tidy(value('load_w'), 0) }} W · sun {{ tidy(value('sun_w') + value('output_sun_w'), 0) }} W<template v-if="sold > 0.5">
          · sold {{ tidy(sold, 0) }} W</template
        ><template v-if="value('overload')"> · the source is overloaded</template>
      </span>
    </p>
    <input v-model.number="at" type="range" min="0" :max="n - 1" class="scrub" aria-label="Minute of the simulated day" />
    <svg
      :width="width"
      :height="height"
      :viewBox="`0 0 ${width} ${height}`"
      role="img"
      aria-label="Simulated day: power, charge and volts"
      data-simulated
      @pointerdown="scrub"
      @pointermove="scrub"
    >
      <g :transform="`translate(${LEFT} 0)`">
        <path v-for="(l, i) in layers" :key="l.word" :d="areas[i]" :fill="l.tone" class="area" />
        <path :d="chargeLine" class="charge" />
        <path :d="socLine" class="soc" />
        <path :d="`M0 ${yS(0)}H${inner}M0 ${yS(1)}H${inner}`" class="edge" />
        <g v-for="t in thresholds" :key="t.word">
          <path :d="`M0 ${yV(t.v)}H${inner}`" :stroke="t.tone" class="threshold" />
        </g>
        <path :d="voltLine" class="volts" />
        <text
          v-for="t in thresholds"
          :key="t.word"
          :x="inner - 4"
          :y="yV(t.v) + (t.word === 'Absorption' ? -4 : 13)"
          text-anchor="end"
          class="small-text"
        >
          {{ t.word }}
        </text>
        <path v-for="f in flips" :key="f.i" :d="`M${x(f.i)} 8V${height - 14}`" class="flip">
          <title>{{ f.to }}</title>
        </path>
        <path :d="`M${x(now)} 4V${height - 10}`" class="now" />
      </g>
      <text x="0" y="18" class="small-text">W, up to</text>
      <text x="0" y="33" class="small-text">{{ tidy(most, 0) }}</text>
      <text x="0" :y="S0 + 12" class="small-text">charge</text>
      <text :x="LEFT - 6" :y="yS(0.5) + 4" text-anchor="end" class="small-text">50 %</text>
      <text x="0" :y="V0 + 12" class="small-text">volts</text>
      <text :x="LEFT - 6" :y="yV(vHigh - 0.3) + 10" text-anchor="end" class="small-text">{{ tidy(vHigh - 0.3, 1) }}</text>
      <text :x="LEFT - 6" :y="yV(vLow + 0.3)" text-anchor="end" class="small-text">{{ tidy(vLow + 0.3, 1) }}</text>
    </svg>
    <p class="legend small">
      <span v-for="l in shown" :key="l.word"
        ><svg width="14" height="10" aria-hidden="true"><rect width="14" height="10" :fill="l.tone" /></svg> {{ l.word }}</span
      >
      <span
        ><svg width="14" height="10" aria-hidden="true"><path d="M0 5h14" class="charge" /></svg> into the bank</span
      >
      <span v-if="flips.length"
        ><svg width="6" height="10" aria-hidden="true"><path d="M3 0v10" class="flip" /></svg> transfer</span
      >
    </p>
  </div>
</template>

<style scoped>
svg {
  display: block;
  max-width: 100%;
}
.legend svg {
  display: inline-block;
}
.area {
  opacity: 0.72;
}
.charge {
  fill: none;
  stroke: var(--copper);
  stroke-width: 1.8;
}
.soc {
  fill: none;
  stroke: var(--bank);
  stroke-width: 2.2;
}
.volts {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.6;
}
.threshold {
  stroke-dasharray: 5 4;
}
.edge {
  stroke: var(--rule);
}
.flip {
  stroke: var(--stop);
  stroke-width: 1.4;
  stroke-dasharray: 2 3;
}
.now {
  stroke: var(--ink);
  stroke-width: 1;
}
.small-text {
  font-size: 12px;
  fill: var(--soft);
  paint-order: stroke;
  stroke: var(--sheet);
  stroke-width: 3.5px;
  stroke-linejoin: round;
}
.scrub {
  width: 100%;
  min-height: 32px;
  accent-color: var(--copper);
  padding: 0;
  border: 0;
}
.told {
  min-height: 24px;
}
.legend span {
  margin-right: 14px;
  white-space: nowrap;
}
</style>
