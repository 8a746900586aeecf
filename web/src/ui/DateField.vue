<script setup lang="ts">
// A date: typed in any usual form, or picked from a month.
import { ElDatePickerPanel, ElPopover } from 'element-plus'
import 'element-plus/theme-chalk/el-date-picker-panel.css'
import 'element-plus/theme-chalk/el-popover.css'
import 'element-plus/theme-chalk/el-popper.css'
import { computed, ref } from 'vue'
import { useJob } from '../job/use-job'
import TextField from './TextField.vue'

const props = defineProps<{ path: string; label?: string; bare?: boolean; needed?: boolean }>()
const job = useJob()
const open = ref(false)
const day = computed(() => {
  const at = (job.at(props.path) as string | undefined) ?? ''
  return /^\d{4}-\d\d-\d\d$/.test(at) ? at : ''
})
function picked(value: unknown) {
  if (typeof value !== 'string' || !value) return
  job.set(props.path, value)
  open.value = false
}
</script>

<template>
  <span class="date">
    <TextField :path="path" date :label="label" :bare="bare" :needed="needed" class="typed" />
    <ElPopover v-model:visible="open" trigger="click" width="auto" :teleported="true">
      <template #reference>
        <button type="button" class="pick" :aria-label="`Pick ${label ?? 'the day'}`" :aria-expanded="open">
          <svg width="16" height="16" aria-hidden="true">
            <path d="M1.5 3.5h13v11h-13zM1.5 6.5h13M5 1v4M11 1v4" fill="none" stroke="currentColor" stroke-width="1.4" />
          </svg>
        </button>
      </template>
      <ElDatePickerPanel v-if="open" :model-value="day" value-format="YYYY-MM-DD" :border="false" @update:model-value="picked" />
    </ElPopover>
  </span>
</template>

<style scoped>
.date {
  display: inline-flex;
  align-items: end;
  gap: 4px;
}
.typed :deep(.text) {
  width: 120px;
}
.pick {
  padding: 0 10px;
}
</style>
