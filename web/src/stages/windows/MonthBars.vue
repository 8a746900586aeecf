<script setup lang="ts">
// Energy by month: what the loads took, and what it came from. The same as figures in a table.
import { vStack } from '../../ui/stack'
import type { EChartsCoreOption } from 'echarts/core'
import { computed } from 'vue'
import PlotBox from '../../ui/PlotBox.vue'
import { MONTHS, tidy } from '../../ui/figures'
import type { Tone } from '../../ui/plot'

interface Month {
  month: string
  sun: number
  mains: number
  generator: number
  load: number
}
const props = defineProps<{ months: Month[] }>()
const name = (m: Month) => MONTHS[Number(m.month.slice(5)) - 1] ?? m.month
const PARTS = [
  ['sun', 'sun used', 'sun'],
  ['mains', 'mains', 'mains'],
  ['generator', 'generator', 'gen'],
] as const
const parts = computed(() => PARTS.filter(([key]) => key === 'sun' || props.months.some((m) => m[key] > 0)))
const make = (tone: (name: Tone) => string): EChartsCoreOption => ({
  grid: { left: 48, right: 8, top: 34, bottom: 24 },
  legend: { top: 0, left: 40, textStyle: { color: tone('ink') }, selectedMode: false },
  xAxis: { type: 'category', data: props.months.map(name), axisLabel: { color: tone('soft') }, axisTick: { show: false } },
  yAxis: {
    type: 'value',
    axisLabel: { color: tone('soft') },
    splitLine: { lineStyle: { color: tone('faint') } },
  },
  series: [
    ...parts.value.map(([key, word, colour]) => ({
      type: 'bar',
      stack: 'from',
      name: word,
      color: tone(colour),
      barWidth: '60%',
      data: props.months.map((m) => Number(m[key].toFixed(1))),
    })),
    {
      type: 'line',
      name: 'what the loads took',
      color: tone('ink'),
      symbol: 'rect',
      symbolSize: [26, 3],
      lineStyle: { width: 0 },
      data: props.months.map((m) => Number(m.load.toFixed(1))),
    },
  ],
})
</script>

<template>
  <PlotBox :height="210" label="Energy by month" :make="make" />
  <details class="small">
    <summary>The same as figures</summary>
    <table v-stack="['Month']">
      <thead>
        <tr>
          <th>Month</th>
          <th v-for="[key, word] in parts" :key="key" class="num">{{ word }}, kWh</th>
          <th class="num">loads, kWh</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="m in months" :key="m.month">
          <td>{{ name(m) }}</td>
          <td v-for="[key] in parts" :key="key" class="num">{{ tidy(m[key], 0) }}</td>
          <td class="num">{{ tidy(m.load, 0) }}</td>
        </tr>
      </tbody>
    </table>
  </details>
</template>

<style scoped>
table {
  max-width: 560px;
}
summary {
  cursor: pointer;
  min-height: 32px;
}
</style>
