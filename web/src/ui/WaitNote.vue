<script setup lang="ts">
// Something is on its way.
withDefaults(defineProps<{ word?: string; rows?: number }>(), { word: 'Opening', rows: 4 })
</script>

<template>
  <div class="wait" role="status" aria-busy="true">
    <span class="soft">{{ word }}</span>
    <i v-for="n in rows" :key="n" aria-hidden="true" :style="{ width: `${60 + ((n * 37) % 40)}%` }" />
  </div>
</template>

<style scoped>
.wait {
  display: grid;
  gap: 14px;
  padding: 8px 0;
}
/* What is there at once is not announced by grey lines. */
i {
  height: 14px;
  border-radius: 3px;
  background: var(--faint);
  animation: come 0.2s 0.3s both;
}
@keyframes come {
  from {
    opacity: 0;
  }
}
</style>
