<script setup lang="ts">
// Address switches as they look: a knob up or down. Found ones can be flipped.
defineProps<{ up: boolean[]; label: string; live?: boolean; wrong?: boolean[] }>()
const emit = defineEmits<{ flip: [at: number] }>()
</script>

<template>
  <span class="row" role="group" :aria-label="label">
    <component
      :is="live ? 'button' : 'span'"
      v-for="(u, i) in up"
      :key="i"
      class="switch"
      :class="{ up: u, wrong: wrong?.[i], live }"
      :role="live ? 'switch' : 'img'"
      :aria-checked="live ? u : undefined"
      :aria-label="`${label}, switch ${i + 1}${live ? '' : u ? ', up' : ', down'}`"
      :data-switch="live ? i : undefined"
      @click="live && emit('flip', i)"
    >
      <i />
      <b>{{ i + 1 }}</b>
    </component>
  </span>
</template>

<style scoped>
.row {
  display: inline-flex;
  gap: 2px;
}
.switch {
  border: 0;
  background: none;
  display: grid;
  justify-items: center;
  gap: 1px;
  padding: 2px 5px;
  min-width: 30px;
  min-height: 40px;
  align-content: center;
}
.switch i {
  width: 16px;
  height: 26px;
  border: 1.5px solid var(--soft);
  background: var(--raised);
  position: relative;
}
.switch i::after {
  content: '';
  position: absolute;
  left: 2px;
  right: 2px;
  bottom: 2px;
  height: 10px;
  background: var(--ink);
}
.switch.up i::after {
  bottom: auto;
  top: 2px;
}
.switch b {
  font-size: 12px;
  font-weight: 400;
  color: var(--soft);
}
.wrong i {
  border-color: var(--stop);
  border-width: 2.5px;
}
.wrong i::after {
  background: var(--stop);
}
.live {
  cursor: pointer;
}
</style>
