<script setup lang="ts">
// A text that could be two figures: both readings to choose from. Nothing counts until one is chosen.
defineProps<{ values: number[]; say: (value: number) => string }>()
const emit = defineEmits<{ choose: [value: number] }>()
</script>

<template>
  <span class="which" role="alert" data-which>
    <b>Which?</b>
    <button v-for="v in values" :key="v" type="button" @click="emit('choose', v)">{{ say(v) }}</button>
  </span>
</template>

<style scoped>
.which {
  flex-basis: 100%;
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  align-items: center;
  font-size: 13px;
  line-height: 1.3;
  color: var(--caution);
}
.which button {
  padding: 0 8px;
}
</style>
