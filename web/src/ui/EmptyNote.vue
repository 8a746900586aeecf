<script setup lang="ts">
// Nothing here yet, and what would change that.
import { ElEmpty } from 'element-plus'
import 'element-plus/theme-chalk/el-empty.css'

defineProps<{ title?: string }>()
</script>

<template>
  <ElEmpty class="empty" :image-size="0">
    <template #image><span /></template>
    <template #description>
      <h2 v-if="title">{{ title }}</h2>
      <div class="said"><slot /></div>
    </template>
  </ElEmpty>
</template>

<style scoped>
.empty {
  border: 1px dashed var(--rule);
  padding: 24px;
  align-items: start;
  text-align: left;
}
.empty :deep(.el-empty__image) {
  display: none;
}
.empty :deep(.el-empty__description) {
  margin: 0;
}
</style>
