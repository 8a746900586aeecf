<script setup lang="ts">
// The simulated day: who carries the loads, what goes into the bank, charge and volts; at the cursor everything and the unit's reason.
import type { EChartsCoreOption } from 'echarts/core'
import { computed, ref } from 'vue'
import type { FlowSeries } from '../../api/client'
import { tidy } from '../../ui/figures'
import FoldPart from '../../ui/FoldPart.vue'
import PlotBox from '../../ui/PlotBox.vue'
import { preferred } from '../../ui/prefs'
import type { Tone } from '../../ui/plot'
import { carried, LAYERS } from './day'
import { clock } from './ribbon'

const props = defineProps<{ series: FlowSeries; thresholds: { word: string; v: number; tone: string }[] }>()
const at = ref(720)
const c = (name: string) => props.series.columns[name] ?? []
const day = computed(() => carried(props.series))
const shown = computed(() => LAYERS.filter((l) => day.value.layers[l.word]?.some((w) => w > 0)))
const n = computed(() => props.series.minute.length)
const now = computed(() => Math.min(n.value - 1, at.value))
const reasonAt = (i: number) => props.series.reasons[props.series.reason[i] ?? 0] ?? ''
const kw = (w: number) => `${tidy(w / 1000, 2)} kW`
const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1)
const value = (name: string) => c(name)[now.value] ?? 0
const sold = computed(() => day.value.layers.Sold?.[now.value] ?? 0)
const figures = computed(() =>
  preferred(
    ` Charge ${tidy(value('soc') * 100, 0)} %, load ${tidy(value('load_w'), 0)} W` +
      (sold.value > 0.5 ? `, sold ${tidy(sold.value, 0)} W` : '') +
      (value('overload') ? ', the source is overloaded' : ''),
  ),
)
function told(i: number): string {
  const rows = [
    ...shown.value.map((l) => [l.word, kw(day.value.layers[l.word]?.[i] ?? 0)]),
    ['Into the bank', kw(day.value.charging[i] ?? 0)],
    ['Charge', `${tidy((c('soc')[i] ?? 0) * 100, 1)} %`],
    ['Volts', `${tidy(c('volts')[i] ?? 0, 2)} V, ${tidy(c('amps')[i] ?? 0, 0)} A`],
  ]
  const lines = rows.map(
    ([word, said]) => `<tr><td>${word}</td><td style="text-align:right;padding-left:14px">${preferred(said as string)}</td></tr>`,
  )
  return `<b>${clock(props.series.minute[i] ?? 0)} ${capital(reasonAt(i))}</b><table style="width:auto">${lines.join('')}</table>`
}
const times = { min: 0, max: 1440, interval: 360 }
const make = (tone: (name: Tone) => string): EChartsCoreOption => {
  const axis = {
    axisLine: { lineStyle: { color: tone('soft') } },
    axisLabel: { color: tone('soft') },
    splitLine: { lineStyle: { color: tone('faint') } },
  }
  const xs = (of: number[]) => of.map((v, i) => [props.series.minute[i] ?? i, v])
  const line = { type: 'line', showSymbol: false, emphasis: { disabled: true } }
  const mark = (silent: object) => ({ silent: true, symbol: 'none', ...silent })
  return {
    legend: {
      top: 0,
      left: 44,
      right: 8,
      icon: 'rect',
      itemGap: 16,
      itemWidth: 14,
      itemHeight: 9,
      textStyle: { color: tone('ink'), fontSize: 13 },
    },
    tooltip: {
      trigger: 'axis',
      backgroundColor: tone('raised'),
      borderColor: tone('rule'),
      textStyle: { color: tone('ink'), fontSize: 13 },
      formatter: (points: { dataIndex: number }[]) => told(points[0]?.dataIndex ?? 0),
    },
    axisPointer: { link: [{ xAxisIndex: 'all' }], lineStyle: { color: tone('ink') } },
    grid: [
      { left: 44, right: 48, top: 58, height: 150 },
      { left: 44, right: 48, top: 250, height: 96 },
    ],
    xAxis: [
      { type: 'value', gridIndex: 0, ...times, ...axis, axisLabel: { show: false }, splitLine: { show: false } },
      {
        type: 'value',
        gridIndex: 1,
        ...times,
        ...axis,
        axisLabel: { color: tone('soft'), formatter: (m: number) => clock(m) },
        splitLine: { show: false },
      },
    ],
    yAxis: [
      {
        type: 'value',
        gridIndex: 0,
        name: 'kW',
        splitNumber: 2,
        ...axis,
        axisLabel: { color: tone('soft'), formatter: (w: number) => preferred(`${tidy(w / 1000, 1)}`) },
      },
      { type: 'value', gridIndex: 1, name: '% charge', min: 0, max: 100, interval: 50, ...axis },
      {
        type: 'value',
        gridIndex: 1,
        name: 'V',
        position: 'right',
        scale: true,
        splitNumber: 2,
        ...axis,
        splitLine: { show: false },
      },
    ],
    series: [
      ...shown.value.map((l) => ({
        ...line,
        name: l.word,
        stack: 'loads',
        lineStyle: { width: 0 },
        areaStyle: { color: tone(l.tone), opacity: 0.75 },
        itemStyle: { color: tone(l.tone) },
        data: xs(day.value.layers[l.word] ?? []),
      })),
      {
        ...line,
        name: 'Into the bank',
        lineStyle: { width: 1.8, color: tone('copper') },
        itemStyle: { color: tone('copper') },
        data: xs(day.value.charging),
        markLine: mark({
          lineStyle: { color: tone('stop'), type: 'dotted', width: 1.4 },
          label: { show: false },
          data: day.value.transfers.map((m) => ({ xAxis: m })),
        }),
      },
      {
        ...line,
        name: 'Charge',
        xAxisIndex: 1,
        yAxisIndex: 1,
        lineStyle: { width: 2.2, color: tone('bank') },
        itemStyle: { color: tone('bank') },
        data: xs(c('soc').map((s) => s * 100)),
      },
      {
        ...line,
        name: 'Volts',
        xAxisIndex: 1,
        yAxisIndex: 2,
        lineStyle: { width: 1.4, color: tone('ink') },
        itemStyle: { color: tone('ink') },
        data: xs(c('volts')),
        markLine: mark({
          lineStyle: { type: 'dashed' },
          label: { position: 'insideEndTop', color: tone('soft'), formatter: '{b}' },
          data: props.thresholds.map((t) => ({ yAxis: t.v, name: t.word, lineStyle: { color: tone('soft') } })),
        }),
      },
    ],
  }
}
const hours = computed(() => Array.from({ length: 24 }, (_, h) => Math.min(n.value - 1, h * 60)))
</script>

<template>
  <div>
    <p class="told" aria-live="polite" data-reason>
      <b>{{ clock(series.minute[now] ?? 0) }} {{ capital(reasonAt(now)) }}</b>
      <span class="soft">. {{ figures }}</span>
    </p>
    <input v-model.number="at" type="range" min="0" :max="n - 1" class="scrub" aria-label="Minute of the simulated day" />
    <PlotBox
      data-simulated
      :height="372"
      wide
      label="Simulated day: power, charge and volts"
      :make="make"
      :at="now"
      @at="(i) => (at = i)"
    />
    <FoldPart name="windows:day-table" title="The day as a table" says="every hour">
      <div class="scroll">
        <table>
          <thead>
            <tr>
              <th>Time</th>
              <th v-for="l in shown" :key="l.word" class="num">{{ l.word }}</th>
              <th class="num">Into the bank</th>
              <th class="num">Charge</th>
              <th class="num">Volts</th>
              <th>Why</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="i in hours" :key="i">
              <td>{{ clock(series.minute[i] ?? 0) }}</td>
              <td v-for="l in shown" :key="l.word" class="num">{{ kw(day.layers[l.word]?.[i] ?? 0) }}</td>
              <td class="num">{{ kw(day.charging[i] ?? 0) }}</td>
              <td class="num">{{ tidy((c('soc')[i] ?? 0) * 100, 0) }} %</td>
              <td class="num">{{ tidy(c('volts')[i] ?? 0, 1) }} V</td>
              <td>{{ reasonAt(i) }}</td>
            </tr>
          </tbody>
        </table>
      </div>
    </FoldPart>
  </div>
</template>

<style scoped>
.scrub {
  width: 100%;
  min-height: 32px;
  accent-color: var(--copper);
  padding: 0;
  border: 0;
}
.told {
  min-height: 24px;
  margin-top: 8px;
}
</style>
