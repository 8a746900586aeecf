<script setup lang="ts">
import { ElCheckbox } from 'element-plus'
import 'element-plus/theme-chalk/el-checkbox.css'

defineProps<{ checked: boolean; label: string; id?: string; disabled?: boolean; bare?: boolean }>()
const emit = defineEmits<{ change: [on: boolean] }>()
</script>

<template>
  <ElCheckbox
    :id="id"
    :model-value="checked"
    :disabled="disabled"
    :aria-label="bare ? label : undefined"
    :validate-event="false"
    @change="(on) => emit('change', Boolean(on))"
    >{{ bare ? '' : label }}</ElCheckbox
  >
</template>
