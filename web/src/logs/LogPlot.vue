<script setup lang="ts">
// Lines of a log, a band for each quantity, on one axis of time; findings as bands behind, thresholds of the plan as lines.
// A second log stands below on the same axis.
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
  /** A second log: its id and name, its columns, and how many seconds later than the first it begins. */
  beside?: { log: string; word: string; names: string[]; later: number } | undefined
}>()
/** The stretch that is shown, in seconds since the first row. */
const shown = defineModel<[number, number]>({ required: true })
const lines = ref<LogSeries>()
const others = ref<LogSeries>()
const failure = ref('')
const TONES: Tone[] = ['ink', 'bank', 'copper', 'sun', 'mains', 'gen', 'load']
const MOST = 700
let asked = 0
watch(
  () => [props.log, shown.value, props.names.join(), props.beside] as const,
  async () => {
    const mine = ++asked
    try {
      const [from, to] = shown.value
      const second = props.beside
      const [told, other] = await Promise.all([
        api.logSeries(props.job, props.log, props.names, from, to, MOST),
        second?.names.length
          ? api.logSeries(props.job, second.log, second.names, from - second.later, to - second.later, MOST)
          : undefined,
      ])
      if (mine === asked) [lines.value, others.value, failure.value] = [told, other, '']
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
interface Band {
  name: string
  word: string
  second: boolean
}
const bands = computed<Band[]>(() => [
  ...props.names.map((name) => ({ name, word: props.words[name] ?? name, second: false })),
  ...(props.beside?.names ?? []).map((name) => ({
    name,
    word: `${props.words[name] ?? name}, ${props.beside!.word}`,
    second: true,
  })),
])
/** Charge is a part of one in the file, percent on the screen; a second log's seconds count from the first one's first row. */
const drawn = (b: Band) => {
  const factor = b.name === 'soc' ? 100 : 1
  const later = b.second ? (props.beside?.later ?? 0) : 0
  const line = (b.second ? others.value : lines.value)?.lines[b.name] ?? []
  return line.map(([s, v]) => [s! + later, v === null || v === undefined ? null : v * factor])
}
const make = (tone: (name: Tone) => string) => ({
  grid: bands.value.map((_, i) => ({ left: 62, right: 16, top: 24 + i * HIGH, height: HIGH - 40 })),
  tooltip: { trigger: 'axis', backgroundColor: tone('raised'), borderColor: tone('rule'), textStyle: { color: tone('ink') } },
  axisPointer: { link: [{ xAxisIndex: 'all' }] },
  xAxis: bands.value.map((_, i) => ({
    type: 'value',
    gridIndex: i,
    min: shown.value[0],
    max: shown.value[1],
    axisLabel: {
      show: i === bands.value.length - 1,
      color: tone('soft'),
      formatter: (s: number) => clockAt(props.report, s, shown.value[1] - shown.value[0]),
      hideOverlap: true,
    },
    axisPointer: { label: { formatter: ({ value }: { value: number }) => clockAt(props.report, value, 1) } },
    splitLine: { show: false },
  })),
  yAxis: bands.value.map((n, i) => ({
    type: 'value',
    gridIndex: i,
    scale: true,
    name: n.word,
    nameTextStyle: { align: 'left', color: tone('soft'), padding: [0, 0, 0, -50] },
    splitNumber: 2,
    axisLabel: { color: tone('soft') },
    splitLine: { lineStyle: { color: tone('faint') } },
  })),
  series: bands.value.map((n, i) => ({
    type: 'line',
    name: n.word,
    xAxisIndex: i,
    yAxisIndex: i,
    showSymbol: false,
    connectNulls: false,
    lineStyle: { width: 1.4 },
    color: tone(TONES[i % TONES.length]!),
    data: drawn(n),
    markArea: n.second
      ? undefined
      : {
          silent: true,
          itemStyle: { color: tone('stop'), opacity: 0.09 },
          data: bad.value.map((f) => [{ xAxis: f.from_s }, { xAxis: f.to_s }]),
        },
    markLine: {
      silent: true,
      symbol: 'none',
      lineStyle: { color: tone('soft'), type: 'dashed' },
      label: { formatter: '{b}', position: 'insideEndTop', color: tone('soft') },
      data: props.planned.filter((p) => p.name === n.name).map((p) => ({ name: p.word, yAxis: p.value })),
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
      :height="24 + bands.length * HIGH + 8"
      :label="`${bands.map((n) => n.word).join(', ')} from ${clockAt(report, shown[0], 1)} to ${clockAt(report, shown[1], 1)}`"
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
