<script setup lang="ts">
// Five minutes of volts, amps and charge, each in a band of its own on one axis of time.
import { computed } from 'vue'
import PlotBox from '../ui/PlotBox.vue'
import type { Tone } from '../ui/plot'

const props = defineProps<{ strip: { names: string[]; rows: (number | null)[][] } }>()
const WORDS: Record<string, [string, string, Tone]> = {
  volts: ['Volts', 'V', 'ink'],
  amps: ['Into the bank', 'A', 'bank'],
  soc_pct: ['Charge', '%', 'copper'],
}
const bands = computed(() => props.strip.names.filter((n) => WORDS[n]))
const make = (tone: (name: Tone) => string) => ({
  grid: bands.value.map((_, i) => ({ left: 56, right: 12, top: 22 + i * 92, height: 62 })),
  tooltip: { trigger: 'axis' },
  axisPointer: { link: [{ xAxisIndex: 'all' }] },
  xAxis: bands.value.map((_, i) => ({
    type: 'value',
    gridIndex: i,
    min: -300,
    max: 0,
    axisLabel: { show: i === bands.value.length - 1, formatter: (v: number) => (v === 0 ? 'now' : `${-v / 60} min ago`) },
    interval: 60,
    splitLine: { lineStyle: { color: tone('rule') } },
  })),
  yAxis: bands.value.map((n, i) => ({
    type: 'value',
    gridIndex: i,
    scale: true,
    name: `${WORDS[n]?.[0]}, ${WORDS[n]?.[1]}`,
    nameTextStyle: { align: 'left', color: tone('soft') },
    splitNumber: 2,
    axisLabel: { color: tone('soft') },
    splitLine: { show: false },
  })),
  series: bands.value.map((n, i) => ({
    type: 'line',
    name: WORDS[n]?.[0],
    xAxisIndex: i,
    yAxisIndex: i,
    showSymbol: false,
    color: tone(WORDS[n]?.[2] ?? 'ink'),
    data: props.strip.rows.map((r) => [r[0], r[1 + props.strip.names.indexOf(n)]]),
  })),
})
const last = computed(() => props.strip.rows.at(-1))
const label = computed(
  () =>
    `The last five minutes. Now: ${bands.value.map((n) => `${WORDS[n]?.[0]} ${last.value?.[1 + props.strip.names.indexOf(n)] ?? 'unknown'} ${WORDS[n]?.[1]}`).join(', ')}`,
)
</script>

<template>
  <PlotBox :height="22 + bands.length * 92 + 18" :label="label" :make="make" wide />
</template>
