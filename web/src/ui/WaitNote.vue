<script setup lang="ts">
// Something is on its way.
import { ElSkeleton } from 'element-plus'
import 'element-plus/theme-chalk/el-skeleton.css'
import 'element-plus/theme-chalk/el-skeleton-item.css'

withDefaults(defineProps<{ word?: string; rows?: number }>(), { word: 'Opening', rows: 4 })
</script>

<template>
  <div class="wait" role="status" aria-busy="true">
    <span class="soft">{{ word }}</span>
    <ElSkeleton :rows="rows" :throttle="300" aria-hidden="true" />
  </div>
</template>

<style scoped>
.wait {
  display: grid;
  gap: 10px;
  padding: 8px 0;
}
</style>
