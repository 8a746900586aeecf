<script setup lang="ts">
// A plot that is not one of Ewerer's own figures, drawn by a library in Ewerer's colours. Beside each stands a table.
import { BarChart, HeatmapChart, LineChart } from 'echarts/charts'
import {
  GridComponent,
  LegendComponent,
  MarkAreaComponent,
  MarkLineComponent,
  TooltipComponent,
  VisualMapComponent,
} from 'echarts/components'
import { use, type EChartsCoreOption } from 'echarts/core'
import { SVGRenderer } from 'echarts/renderers'
import { computed, ref, watch } from 'vue'
import VChart from 'vue-echarts'
import { theme } from './theme'
import { colours, type Tone } from './plot'

use([
  SVGRenderer,
  BarChart,
  HeatmapChart,
  LineChart,
  GridComponent,
  LegendComponent,
  MarkAreaComponent,
  MarkLineComponent,
  TooltipComponent,
  VisualMapComponent,
])
const props = defineProps<{
  height: number
  label: string
  make: (tone: (name: Tone) => string) => EChartsCoreOption
  /** Place in the data that the crosshair stands at; the pointer moves it. */
  at?: number
  wide?: boolean
}>()
const emit = defineEmits<{ pick: [data: unknown]; at: [index: number] }>()
const chart = ref<InstanceType<typeof VChart>>()
let pointed = -1
function moved(event: object) {
  const { dataIndex } = event as { dataIndex?: number }
  if (dataIndex === undefined || dataIndex === props.at) return
  pointed = dataIndex
  emit('at', pointed)
}
watch(
  () => props.at,
  (at) => at !== undefined && at !== pointed && chart.value?.dispatchAction({ type: 'showTip', seriesIndex: 0, dataIndex: at }),
)
// Colours are read anew when the theme changes.
const option = computed(() => {
  const tone = colours(theme.value)
  return {
    animation: false,
    textStyle: { fontFamily: 'inherit', color: tone('ink') },
    ...props.make(tone),
  }
})
</script>

<template>
  <VChart
    ref="chart"
    class="plot"
    :class="{ wide }"
    role="img"
    :aria-label="label"
    :style="{ height: `${height}px` }"
    :option="option"
    :init-options="{ renderer: 'svg' }"
    autoresize
    @updateaxispointer="moved"
    @click="(event: { data: unknown }) => emit('pick', event.data)"
  />
</template>

<style scoped>
.plot {
  width: 100%;
  max-width: 820px;
}
.wide {
  max-width: none;
}
</style>
