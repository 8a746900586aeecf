<script setup lang="ts">
// What a test has changed and nobody has put back yet stands in a red line on every screen of the job.
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import { useJob } from '../job/use-job'
import NoticeBar from '../ui/NoticeBar.vue'

const job = useJob()
const route = useRoute()
const open = computed(() =>
  Object.entries(job.record.state.value.steps).flatMap(([id, s]) => (s.open ? [{ ...s.open, id }] : [])),
)
</script>

<template>
  <NoticeBar v-if="open.length" kind="bad" data-changed>
    <b>Changed for a test, not put back:</b>
    <RouterLink
      v-for="c in open"
      :key="c.id"
      :to="{ name: 'job', params: { id: job.id, stage: 'run' }, query: { ...route.query, step: c.id } }"
      >{{ c.device ? `${c.device}: ` : '' }}{{ c.text || 'a switch' }} is {{ c.shown }}</RouterLink
    >
  </NoticeBar>
</template>
