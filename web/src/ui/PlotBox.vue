<script setup lang="ts">
// A plot that is not one of Ewerer's own figures, drawn by a library in Ewerer's colours. Beside each stands a table.
import { BarChart, HeatmapChart, LineChart } from 'echarts/charts'
import { GridComponent, LegendComponent, TooltipComponent, VisualMapComponent } from 'echarts/components'
import { use, type EChartsCoreOption } from 'echarts/core'
import { SVGRenderer } from 'echarts/renderers'
import { computed } from 'vue'
import VChart from 'vue-echarts'
import { theme } from './theme'
import { colours, type Tone } from './plot'

use([SVGRenderer, BarChart, HeatmapChart, LineChart, GridComponent, LegendComponent, TooltipComponent, VisualMapComponent])
const props = defineProps<{ height: number; label: string; make: (tone: (name: Tone) => string) => EChartsCoreOption }>()
const emit = defineEmits<{ pick: [data: unknown] }>()
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
    class="plot"
    role="img"
    :aria-label="label"
    :style="{ height: `${height}px` }"
    :option="option"
    :init-options="{ renderer: 'svg' }"
    autoresize
    @click="(event: { data: unknown }) => emit('pick', event.data)"
  />
</template>

<style scoped>
.plot {
  width: 100%;
  max-width: 820px;
}
</style>
