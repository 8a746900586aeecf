<script setup lang="ts">
// A state by shape, colour and (for readers) word: never by colour alone.
defineProps<{ state: string; size?: number }>()
const WORDS: Record<string, string> = { ok: 'in order', open: 'not begun', stop: 'stop', caution: 'caution', note: 'note' }
</script>

<template>
  <svg
    :width="size ?? 18"
    :height="size ?? 18"
    viewBox="0 0 16 16"
    role="img"
    :aria-label="WORDS[state] ?? state"
    class="mark"
    :class="state"
  >
    <template v-if="state === 'ok'">
      <circle cx="8" cy="8" r="6.8" class="fill" />
      <path d="M4.7 8.3l2.3 2.3 4.4-4.8" class="cut" />
    </template>
    <template v-else-if="state === 'stop'">
      <path d="M5.2 1h5.6L15 5.2v5.6L10.8 15H5.2L1 10.8V5.2z" class="fill" />
      <path d="M4.6 8h6.8" class="cut" />
    </template>
    <template v-else-if="state === 'caution'">
      <path d="M8 1.6l7 12.6H1z" class="line" />
      <path d="M8 6v4M8 11.6v1" class="line" />
    </template>
    <path v-else-if="state === 'note'" d="M2.5 2.5h11v8h-6l-3 3v-3h-2z" class="line" />
    <circle v-else cx="8" cy="8" r="6" class="line" stroke-dasharray="2.5 2.2" />
  </svg>
</template>

<style scoped>
.mark {
  flex: none;
}
.ok .fill {
  fill: var(--bank);
}
.stop .fill {
  fill: var(--stop);
}
.cut {
  stroke: var(--sheet);
  stroke-width: 1.9;
  fill: none;
}
.line {
  fill: none;
  stroke: var(--soft);
  stroke-width: 1.6;
}
.caution .line {
  stroke: var(--caution);
}
.note .line {
  stroke: var(--note);
}
</style>
