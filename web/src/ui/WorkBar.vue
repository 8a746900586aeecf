<script setup lang="ts">
// Long work: begin it, watch it, cancel it, read why it failed.
import { ElProgress } from 'element-plus'
import 'element-plus/theme-chalk/el-progress.css'
import type { LongWork } from '../api/use-work'

const props = defineProps<{ work: LongWork; label: string }>()
const emit = defineEmits<{ start: [] }>()
const { state, word, share, failure, stale, cancel } = props.work
</script>

<template>
  <div class="work">
    <button v-if="state !== 'running'" class="first" @click="emit('start')">{{ label }}</button>
    <template v-else>
      <button @click="cancel">Cancel</button>
      <ElProgress class="progress" :percentage="Math.round(share * 100)" :stroke-width="8" :aria-label="label" />
    </template>
    <span role="status" class="soft">{{
      state === 'running' ? word : state === 'cancelled' ? 'Cancelled; run it again when you like.' : ''
    }}</span>
    <span v-if="stale && state !== 'running'" role="status" class="caution">
      The job has changed since; what is shown is of before.
    </span>
    <span v-if="state === 'failed'" role="alert" class="bad">{{ failure }}</span>
  </div>
</template>

<style scoped>
.work {
  display: flex;
  gap: 10px;
  align-items: center;
  flex-wrap: wrap;
  margin: 8px 0;
}
.progress {
  width: 240px;
}
.bad {
  color: var(--stop);
}
.caution {
  color: var(--caution);
}
</style>
