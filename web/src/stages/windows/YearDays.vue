<script setup lang="ts">
// Twelve rows, a month each; every day a box. Days with enough in the bank are pale, so that the bad ones stand out.
import type { EChartsCoreOption } from 'echarts/core'
import { computed } from 'vue'
import type { DayFigures } from '../../api/client'
import { MONTHS } from '../../ui/figures'
import PlotBox from '../../ui/PlotBox.vue'
import type { Tone } from '../../ui/plot'

const props = defineProps<{ days: DayFigures[]; chosen: DayFigures | null; words: (day: DayFigures) => string }>()
const emit = defineEmits<{ choose: [day: DayFigures] }>()
const months = computed(() => [...new Set(props.days.map((d) => d.date.slice(0, 7)))])
const byDate = computed(() => new Map(props.days.map((d) => [d.date, d])))
const make = (tone: (name: Tone) => string): EChartsCoreOption => ({
  grid: { left: 44, right: 8, top: 20, bottom: 44 },
  xAxis: {
    type: 'category',
    position: 'top',
    data: Array.from({ length: 31 }, (_, i) => String(i + 1)),
    axisLine: { show: false },
    axisTick: { show: false },
    axisLabel: { color: tone('soft'), interval: 4, fontSize: 12 },
  },
  yAxis: {
    type: 'category',
    inverse: true,
    data: months.value.map((m) => MONTHS[Number(m.slice(5)) - 1]),
    axisLine: { show: false },
    axisTick: { show: false },
    axisLabel: { color: tone('ink'), fontSize: 13 },
  },
  tooltip: {
    backgroundColor: tone('raised'),
    borderColor: tone('rule'),
    textStyle: { color: tone('ink'), fontSize: 13 },
    formatter: (point: { data: { date: string } }) => props.words(byDate.value.get(point.data.date) as DayFigures),
  },
  visualMap: {
    type: 'piecewise',
    orient: 'horizontal',
    left: 44,
    bottom: 0,
    itemWidth: 14,
    itemHeight: 12,
    textStyle: { color: tone('soft') },
    pieces: [
      { lt: 10, color: tone('stop'), label: 'below 10 %' },
      { gte: 10, lt: 20, color: tone('sun'), label: '10 to 20 %' },
      { gte: 20, lt: 50, color: tone('rule'), label: '20 to 50 %' },
      { gte: 50, color: tone('faint'), label: 'above 50 %' },
    ],
  },
  series: [
    {
      type: 'heatmap',
      data: props.days.map((d) => ({
        value: [Number(d.date.slice(8)) - 1, months.value.indexOf(d.date.slice(0, 7)), Math.round(d.lowest_soc * 100)],
        date: d.date,
        itemStyle: {
          borderColor: d === props.chosen ? tone('copper') : d.unserved_kwh > 0.01 ? tone('ink') : tone('sheet'),
          borderWidth: d === props.chosen ? 3 : d.unserved_kwh > 0.01 ? 2 : 1,
        },
      })),
      label: { show: false },
      emphasis: { itemStyle: { borderColor: tone('copper'), borderWidth: 2 } },
    },
  ],
})
function pick(data: unknown) {
  const day = byDate.value.get((data as { date?: string }).date ?? '')
  if (day) emit('choose', day)
}
</script>

<template>
  <div>
    <PlotBox
      :height="Math.max(120, months.length * 24 + 66)"
      label="Lowest charge of each day in percent"
      :make="make"
      @pick="pick"
    />
    <p class="small soft">
      Each box is a day, coloured by its lowest charge; a dark frame is a day on which a load was not served.
    </p>
  </div>
</template>
