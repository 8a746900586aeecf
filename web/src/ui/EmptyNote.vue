<script setup lang="ts">
// Nothing here yet, and what would change that.
defineProps<{ title?: string }>()
</script>

<template>
  <div class="empty">
    <h2 v-if="title">{{ title }}</h2>
    <div class="said"><slot /></div>
  </div>
</template>

<style scoped>
.empty {
  border: 1px dashed var(--rule);
  padding: 24px;
  font-size: 14px;
  color: var(--soft);
}
</style>
