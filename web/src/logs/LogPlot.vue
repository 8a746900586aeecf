<script setup lang="ts">
// Lines of a log, a band for each unit, on one axis of time; findings as bands behind, thresholds of the plan as lines.
import { computed, ref, watch } from 'vue'
import { ElSlider } from 'element-plus'
import 'element-plus/theme-chalk/el-slider.css'
import { api, type LogReport, type LogSeries } from '../api/client'
import PlotBox from '../ui/PlotBox.vue'
import type { Tone } from '../ui/plot'
import { clockAt, spanWord } from './words'

const props = defineProps<{
  job: string
  log: string
  report: LogReport
  names: string[]
  words: Record<string, string>
  /** Lines across a band: what the plan says of it. */
  planned: { name: string; word: string; value: number }[]
}>()
/** The stretch that is shown, in seconds since the first row. */
const shown = defineModel<[number, number]>({ required: true })
const lines = ref<LogSeries>()
const failure = ref('')
const TONES: Tone[] = ['ink', 'bank', 'copper', 'sun', 'mains', 'gen', 'load']
const MOST = 700
let asked = 0
watch(
  () => [props.log, shown.value, props.names.join()] as const,
  async () => {
    const mine = ++asked
    try {
      const told = await api.logSeries(props.job, props.log, props.names, shown.value[0], shown.value[1], MOST)
      if (mine === asked) [lines.value, failure.value] = [told, '']
    } catch (error) {
      if (mine === asked) failure.value = String((error as Error).message)
    }
  },
  { immediate: true },
)
const HIGH = 118
/** What goes through most of the log would only colour all of it. */
const SHORT = 0.5
const bad = computed(() =>
  props.report.findings.filter(
    (f) => f.verdict !== 'good' && f.to_s > f.from_s && f.to_s - f.from_s < SHORT * props.report.span_s,
  ),
)
/** Charge is a part of one in the file, percent on the screen. */
const drawn = (name: string) =>
  name === 'soc'
    ? (lines.value?.lines[name] ?? []).map(([s, v]) => [s, v === null || v === undefined ? null : v * 100])
    : (lines.value?.lines[name] ?? [])
const make = (tone: (name: Tone) => string) => ({
  grid: props.names.map((_, i) => ({ left: 62, right: 16, top: 24 + i * HIGH, height: HIGH - 40 })),
  tooltip: { trigger: 'axis', backgroundColor: tone('raised'), borderColor: tone('rule'), textStyle: { color: tone('ink') } },
  axisPointer: { link: [{ xAxisIndex: 'all' }] },
  xAxis: props.names.map((_, i) => ({
    type: 'value',
    gridIndex: i,
    min: shown.value[0],
    max: shown.value[1],
    axisLabel: {
      show: i === props.names.length - 1,
      color: tone('soft'),
      formatter: (s: number) => clockAt(props.report, s, shown.value[1] - shown.value[0]),
      hideOverlap: true,
    },
    axisPointer: { label: { formatter: ({ value }: { value: number }) => clockAt(props.report, value, 1) } },
    splitLine: { show: false },
  })),
  yAxis: props.names.map((n, i) => ({
    type: 'value',
    gridIndex: i,
    scale: true,
    name: props.words[n] ?? n,
    nameTextStyle: { align: 'left', color: tone('soft'), padding: [0, 0, 0, -50] },
    splitNumber: 2,
    axisLabel: { color: tone('soft') },
    splitLine: { lineStyle: { color: tone('faint') } },
  })),
  series: props.names.map((n, i) => ({
    type: 'line',
    name: props.words[n] ?? n,
    xAxisIndex: i,
    yAxisIndex: i,
    showSymbol: false,
    connectNulls: false,
    lineStyle: { width: 1.4 },
    color: tone(TONES[i % TONES.length]!),
    data: drawn(n),
    markArea: {
      silent: true,
      itemStyle: { color: tone('stop'), opacity: 0.09 },
      data: bad.value.map((f) => [{ xAxis: f.from_s }, { xAxis: f.to_s }]),
    },
    markLine: {
      silent: true,
      symbol: 'none',
      lineStyle: { color: tone('soft'), type: 'dashed' },
      label: { formatter: '{b}', position: 'insideEndTop', color: tone('soft') },
      data: props.planned.filter((p) => p.name === n).map((p) => ({ name: p.word, yAxis: p.value })),
    },
  })),
})
const end = computed(() => props.report.span_s)
const width = computed(() => shown.value[1] - shown.value[0])
function zoom(factor: number) {
  const middle = (shown.value[0] + shown.value[1]) / 2
  const half = Math.max((width.value * factor) / 2, props.report.step_s * 5)
  move([middle - half, middle + half])
}
function move([a, b]: [number, number]) {
  const span = Math.min(b - a, end.value)
  const from = Math.min(Math.max(0, a), end.value - span)
  shown.value = [from, from + span]
}
const slide = computed({ get: () => shown.value as number[], set: (v) => v[1]! > v[0]! && move([v[0]!, v[1]!]) })
</script>

<template>
  <div data-log-plot>
    <PlotBox
      :height="24 + names.length * HIGH + 8"
      :label="`${names.map((n) => words[n] ?? n).join(', ')} from ${clockAt(report, shown[0], 1)} to ${clockAt(report, shown[1], 1)}`"
      :make="make"
      wide
    />
    <div class="way">
      <button @click="zoom(0.5)">Zoom in</button>
      <button :disabled="width >= end" @click="zoom(2)">Zoom out</button>
      <button :disabled="shown[0] <= 0" @click="move([shown[0] - width / 2, shown[1] - width / 2])">Earlier</button>
      <button :disabled="shown[1] >= end" @click="move([shown[0] + width / 2, shown[1] + width / 2])">Later</button>
      <button :disabled="width >= end" @click="move([0, end])">All</button>
      <ElSlider
        v-model="slide"
        class="slide"
        range
        :min="0"
        :max="end"
        :step="Math.max(1, Math.round(end / 500))"
        :format-tooltip="(s: number) => clockAt(report, s, 1)"
        aria-label="Stretch of the log"
        range-start-label="From"
        range-end-label="To"
      />
    </div>
    <p class="soft small" role="status" data-log-shown>
      {{ spanWord(width) }}, {{ lines?.rows ?? 0 }} rows{{
        lines && !lines.raw ? ', thinned to draw; zoom in for each reading' : ''
      }}.
      <span v-if="failure" class="bad">{{ failure }}</span>
    </p>
  </div>
</template>

<style scoped>
.way {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  margin-top: 8px;
}
.slide {
  flex: 1 1 220px;
  margin: 0 12px;
}
.bad {
  color: var(--stop);
}
</style>
