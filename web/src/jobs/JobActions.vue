<script setup lang="ts">
// What can be done with one job of the list.
import { ElPopconfirm } from 'element-plus'
import 'element-plus/theme-chalk/el-button.css'
import 'element-plus/theme-chalk/el-popconfirm.css'
import 'element-plus/theme-chalk/el-popover.css'
import 'element-plus/theme-chalk/el-popper.css'
import type { JobLine } from '../api/client'
import { session } from '../session/use-session'
import { moment } from '../ui/figures'
import { computed } from 'vue'

defineProps<{ job: JobLine; away: boolean }>()
const emit = defineEmits<{ copy: []; move: []; forGood: [] }>()
const lead = computed(() => session.value?.role === 'lead')
const works = computed(() => session.value?.role !== 'reader')
</script>

<template>
  <template v-if="away && lead">
    <span v-if="job.delete_after" class="soft small">goes for good {{ moment(job.delete_after) }}</span>
    <ElPopconfirm
      v-else
      title="Delete it for good, with its revisions and all that was recorded on site? It goes in 30 days; until then it can be restored."
      confirm-button-text="Delete for good"
      cancel-button-text="Keep"
      width="300"
      @confirm="emit('forGood')"
    >
      <template #reference><button class="plain" :aria-label="`Delete ${job.name} for good`">Delete for good</button></template>
    </ElPopconfirm>
  </template>
  <button v-if="works" class="plain" :aria-label="`Copy ${job.name}`" @click="emit('copy')">Copy</button>
  <a class="button plain" :aria-label="`Export ${job.name}`" :href="`/api/jobs/${job.id}/export`" download>Export</a>
  <button v-if="works" class="plain" :aria-label="`${away ? 'Restore' : 'Archive'} ${job.name}`" @click="emit('move')">
    {{ away ? 'Restore' : 'Archive' }}
  </button>
</template>

<style scoped>
button,
.button {
  padding: 0 9px;
}
@media (max-width: 1000px) {
  button,
  .button {
    padding: 0 6px;
  }
}
</style>
