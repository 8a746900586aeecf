<script setup lang="ts">
// One line that tells something about the whole page or a part of it.
withDefaults(defineProps<{ kind?: 'plain' | 'bad' | 'whatif' | 'caution' }>(), { kind: 'plain' })
</script>

<template>
  <div class="notice" :class="kind" :role="kind === 'bad' ? 'alert' : 'status'"><slot /></div>
</template>

<style scoped>
.notice {
  background: var(--copper-wash);
  padding: 6px 16px;
  display: flex;
  gap: 10px;
  align-items: center;
  flex-wrap: wrap;
}
.bad {
  background: var(--stop-wash);
}
.whatif {
  background: var(--whatif-wash);
}
.caution {
  background: none;
  color: var(--caution);
  padding: 0;
}
</style>
