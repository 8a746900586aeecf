<script setup lang="ts">
defineProps<{ state: string; word: string; share: number; failure: string; label: string; stale?: boolean }>()
const emit = defineEmits<{ start: []; cancel: [] }>()
</script>

<template>
  <div class="run">
    <button v-if="state !== 'running'" class="first" @click="emit('start')">{{ label }}</button>
    <template v-else>
      <button @click="emit('cancel')">Cancel</button>
      <svg width="180" height="10" role="img" :aria-label="`${Math.round(share * 100)} %`">
        <rect x="0.5" y="0.5" width="179" height="9" class="frame" />
        <rect x="1" y="1" :width="178 * share" height="8" class="part" />
      </svg>
    </template>
    <span role="status" class="soft">{{
      state === 'running' ? word : state === 'cancelled' ? 'Cancelled; run it again when you like.' : ''
    }}</span>
    <span v-if="stale && state !== 'running'" role="status" class="caution">
      The job has changed since; what is shown is of before.
    </span>
    <span v-if="state === 'failed'" role="alert" class="bad">{{ failure }}</span>
  </div>
</template>

<style scoped>
.run {
  display: flex;
  gap: 10px;
  align-items: center;
  flex-wrap: wrap;
  margin: 8px 0;
}
.frame {
  fill: none;
  stroke: var(--rule);
}
.part {
  fill: var(--bank);
}
.bad {
  color: var(--stop);
}
.caution {
  color: var(--caution);
}
</style>
