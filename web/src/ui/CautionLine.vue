<script setup lang="ts">
// Where the work can hurt someone: one line, at the step where it applies.
defineProps<{ stop?: boolean }>()
</script>

<template>
  <p :class="stop ? 'stop' : 'caution'" :role="stop ? 'alert' : undefined"><slot /></p>
</template>

<style scoped>
.caution {
  color: var(--caution);
  font-size: 14px;
  margin-top: 6px;
}
.stop {
  background: var(--stop-wash);
  border-left: 4px solid var(--stop);
  padding: 8px 12px;
  margin: 8px 0;
}
</style>
