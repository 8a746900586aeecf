<script setup lang="ts">
// The findings where there is no room beside the stage: from the side, on a telephone from below.
import { ElDrawer } from 'element-plus'
import FindingsColumn from './FindingsColumn.vue'

const open = defineModel<boolean>({ required: true })
defineProps<{ current: number; stage: string; phone: boolean }>()
defineEmits<{ go: [pointer: string] }>()
</script>

<template>
  <ElDrawer
    v-model="open"
    :direction="phone ? 'btt' : 'rtl'"
    :size="phone ? '72%' : 'min(360px, 92vw)'"
    title="Findings"
    :with-header="false"
  >
    <FindingsColumn :current="current" :stage="stage" @go="(at) => $emit('go', at)" />
  </ElDrawer>
</template>
