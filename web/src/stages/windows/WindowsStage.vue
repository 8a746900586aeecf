<script setup lang="ts">
import { ref, watch } from 'vue'
import { useJob } from '../../job/use-job'
import StageHead from '../../ui/StageHead.vue'
import ViewTabs from '../../ui/ViewTabs.vue'
import CompareView from './CompareView.vue'
import DayView from './DayView.vue'
import YearView from './YearView.vue'

const job = useJob()
const tab = ref<'day' | 'year' | 'compare'>('day')
const TABS = [
  ['day', 'Day'],
  ['year', 'Year'],
  ['compare', 'Compare'],
] as const
watch(job.aim, (pointer) => /^\/(windows|tariff|flow)/.test(pointer) && (tab.value = 'day'))
const replay = ref<{ date: string; soc: number } | null>(null)
function showDay(date: string, soc: number) {
  replay.value = { date, soc }
  tab.value = 'day'
}
</script>

<template>
  <StageHead stage="windows" />
  <ViewTabs v-model="tab" :tabs="TABS" label="Views of the windows" keep="year">
    <template #day><DayView v-model:replay="replay" /></template>
    <template #year><YearView @day="showDay" /></template>
    <template #compare><CompareView /></template>
  </ViewTabs>
</template>
